import { existsSync, mkdirSync } from 'node:fs';
import { join } from 'node:path';
import type { Source } from '../core/declaration/declared.ts';
import type { FieldLine } from '../core/declaration/field-line.ts';
import type { Graph } from '../core/model/graph.ts';
import { EXIT, Failure } from '../project/failure.ts';
import { IDENTITY_MAY, withIdentity, withIdentityFields } from './add/identity.ts';
import type { Command, Context } from './command.ts';
import { writeGiven } from './files.ts';
import { counted } from './terminal/terminal.ts';

export const add: Command = {
  usage: 'add <model>',
  about: 'Write a new model, and show the endpoints that it makes',
  examples: [
    ['vantfell add tea', 'asks for its fields'],
    ['vantfell add tea --field "name: string, required, maxLength 60" --field "kind: enum green | black"', ''],
    ['vantfell add tasting --within tea --field "stars: integer, minimum 1, maximum 5"', 'a part of a tea'],
    ['vantfell add member --identity --field "name: string, required"', 'those who sign in'],
    ['vantfell add parcel --field "sender: member, required" --owner sender', 'which belongs to a member'],
  ],
  options: (yargs) =>
    yargs
      .positional('model', { type: 'string', demandOption: true, describe: 'its name, in the singular: tea' })
      .option('field', {
        type: 'string',
        array: true,
        requiresArg: true,
        describe: '"name: type, rule, rule value"; may be given again',
      })
      .option('within', { type: 'string', requiresArg: true, describe: 'the model that it is a part of' })
      .option('owner', { type: 'string', requiresArg: true, describe: 'the relation that leads to its owner' })
      .option('identity', {
        type: 'boolean',
        default: false,
        describe: 'it is the model of those who sign in: with email, passphrase and roles, and declared',
      })
      .option('description', { type: 'string', requiresArg: true, describe: 'what it is, for people' }),

  async run(context, given) {
    const { compile } = await import('../core/compile.ts');
    const { soundProject } = await import('./load-project.ts');
    const { readSources } = await import('../project/read.ts');
    const { modelText } = await import('./add/model-text.ts');
    const name = given.model as string;
    const sources = readSources(context.folder, false);
    // A project that has no models yet isn't sound, and this is the way to make it so.
    const before = sources.models.length === 0 ? undefined : (await soundProject(context)).graph;
    const file = `models/${name}.yaml`;
    const path = join(context.folder, file);
    if (before?.byName.has(name) === true || existsSync(path)) {
      throw new Failure(EXIT.foundWrong, `there is a model ${name} already`, `change ${file}, or choose another name`);
    }
    const owner = given.owner as string | undefined;
    const isIdentity = given.identity === true;
    const service = isIdentity ? serviceWith(sources.service, before, name) : sources.service;
    const asked = given.field as string[] | undefined;
    const lines = await fieldLines(context, before, name, asked ?? (isIdentity ? [] : undefined));
    const text = modelText({
      name,
      description: given.description as string | undefined,
      within: given.within as string | undefined,
      owner,
      lines: isIdentity ? withIdentityFields(lines) : withOwner(lines, owner, before),
      may: isIdentity ? IDENTITY_MAY : undefined,
    });
    const source = { file, text };
    const { graph, problems } = compile({ ...sources, service, models: [...sources.models, source], code: undefined });
    if (graph === undefined) {
      const { problemsText } = await import('./terminal/problems.ts');
      const { terminal } = context;
      terminal.warn(problemsText(problems, [...sources.models, service, source], terminal.tint));
      throw new Failure(EXIT.foundWrong, `${file} would not be sound, and was not written`, 'say it otherwise');
    }
    mkdirSync(join(context.folder, 'models'), { recursive: true });
    writeGiven(path, text, 'see to the folder');
    if (isIdentity) {
      writeGiven(join(context.folder, service.file), service.text, 'see to the folder');
      context.terminal.show(`declared ${name} as the identity in ${service.file}`);
    }
    await show(context, graph, name, file, text);
    return EXIT.done;
  },
};

/** The service's file with an identity, which it must not have yet. */
function serviceWith(service: Source, before: Graph | undefined, name: string): Source {
  if (before?.identity === undefined) return withIdentity(service, name);
  const message = `${before.identity.model}s sign in to this service already`;
  throw new Failure(EXIT.foundWrong, message, 'leave out --identity');
}

/** An owner that no field names is a relation to those who sign in. */
function withOwner(
  lines: readonly FieldLine[],
  owner: string | undefined,
  graph: Graph | undefined,
): readonly FieldLine[] {
  const identity = graph?.identity?.model;
  if (owner === undefined || owner.includes('.') || identity === undefined) return lines;
  if (lines.some(({ name }) => name === owner)) return lines;
  return [...lines, { name: owner, relation: { to: identity, required: true } }];
}

/** The fields from the options, or from questions at a terminal. */
async function fieldLines(
  context: Context,
  graph: Graph | undefined,
  model: string,
  given: readonly string[] | undefined,
): Promise<FieldLine[]> {
  const { BadLine, readFieldLine } = await import('../core/declaration/field-line.ts');
  const models = [...(graph?.byName.keys() ?? []), model];
  if (given !== undefined) {
    try {
      return given.map((line) => readFieldLine(line, models));
    } catch (error) {
      if (error instanceof BadLine) throw new Failure(EXIT.wrongCommand, `--field: ${error.message}`, error.remedy);
      throw error;
    }
  }
  const { typeNames } = await import('../core/model/types.ts');
  const { askLines } = await import('./terminal/ask.ts');
  const { dim } = context.terminal.tint;
  const lines: FieldLine[] = [];
  const hint =
    `One field a line, as ${dim('name: type, rule, rule value')}; an empty line ends it.\n` +
    `${dim(`Types: ${typeNames.join(', ')}; enum a | b; the name of a model for a relation.`)}`;
  await askLines(
    context,
    hint,
    `fields of ${model}`,
    'give them as --field "name: string, required", again and again',
    (line) => {
      try {
        lines.push(readFieldLine(line, models));
        return undefined;
      } catch (error) {
        if (error instanceof BadLine) return `${error.message}; ${error.remedy}`;
        throw error;
      }
    },
  );
  return lines;
}

async function show(
  { folder, terminal }: Context,
  graph: Graph,
  name: string,
  file: string,
  text: string,
): Promise<void> {
  const { endpointsOf } = await import('../core/api/endpoints.ts');
  const { modelOf } = await import('../core/model/graph.ts');
  const { readMigrations } = await import('../project/migrations.ts');
  const { kindOfAddress } = await import('../core/model/service.ts');
  const { storeAddress } = await import('../project/project.ts');
  const { endpointTable } = await import('./outline.ts');
  const model = modelOf(graph, name);
  const endpoints = endpointsOf(graph, model);
  terminal.value({ file, text, endpoints: endpoints.map(({ method, path }) => ({ method, path })) });
  const { bold, dim, cyan } = terminal.paint;
  terminal.show(`wrote ${bold(file)}\n\n${text.trimEnd().replace(/^(?=.)/gm, '  ')}\n`);
  terminal.show(`${counted(endpoints.length, 'endpoint')}\n${await endpointTable(endpoints, terminal.paint)}\n`);
  const hasMigrations = readMigrations(folder, kindOfAddress(storeAddress({ folder, graph }))).length > 0;
  const next = hasMigrations
    ? [
        `${cyan('vantfell migrate draft')} writes the change of the ` +
          `database, and ${cyan('vantfell migrate run')} makes it`,
      ]
    : [`${cyan('vantfell serve')} makes its table`];
  terminal.show([...next, dim(`samples go into samples/${model.plural}.yaml`)].join('\n'));
}
