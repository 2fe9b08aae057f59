import { storeKinds } from '../core/model/service.ts';
import { join } from 'node:path';
import type { StoreKind } from '../core/model/service.ts';
import { EXIT, Failure } from '../project/failure.ts';
import type { SoundProject } from '../project/project.ts';
import type { Arguments, Command, Context } from './command.ts';
import type { SamplesAsked } from './export/samples.ts';
import { makeGiven, writeGiven } from './files.ts';

const KINDS = ['openapi', 'types', 'client', 'schemas', 'sql', 'samples'] as const;
type Kind = (typeof KINDS)[number];

/** Options, and what they go with. */
const ONLY: Readonly<Record<string, Kind>> = {
  compare: 'openapi',
  yaml: 'openapi',
  code: 'types',
  store: 'sql',
  rows: 'samples',
  mask: 'samples',
};

export const exportCommand: Command = {
  usage: 'export <what>',
  about: 'Write files for others: openapi, client, types, schemas, sql, samples',
  examples: [
    ['vantfell export openapi --out openapi.json', 'the OpenAPI 3.1 document; openapi.yaml for YAML'],
    ['vantfell export openapi --compare openapi.json', 'what has changed since, and what of it breaks clients'],
    ['vantfell export client --out client.ts', 'a typed client in one file, which needs nothing but fetch'],
    ['vantfell export types --code --out code/types.d.ts', 'the models as hooks and operations see them'],
    ['vantfell export schemas --out schemas', 'a JSON Schema for each model, in a folder'],
    ['vantfell export sql --store postgres', 'the statements that make the tables'],
    ['vantfell export samples --rows 50 --mask member.email', 'sample files of records in the database'],
  ],
  options: (yargs) =>
    yargs
      .positional('what', { describe: 'what to write', choices: KINDS })
      .option('out', {
        type: 'string',
        requiresArg: true,
        describe: 'the file (of schemas and samples, the folder) to write; left out: standard output, and samples/',
      })
      .option('compare', {
        type: 'string',
        requiresArg: true,
        describe: 'openapi: an older document, to tell what has changed since',
      })
      .option('yaml', { type: 'boolean', describe: 'openapi: as YAML; a file that ends in .yaml is it anyway' })
      .option('code', { type: 'boolean', describe: 'types: of the models as code/ sees them' })
      .option('store', {
        choices: storeKinds,
        describe: "sql: the kind of database; the project's own if left out",
      })
      .option('rows', {
        type: 'number',
        requiresArg: true,
        describe: 'samples: of each model so many, and what they refer to',
      })
      .option('mask', {
        type: 'string',
        array: true,
        requiresArg: true,
        describe: 'samples: a field whose values are made up, as member.email; may be given again',
      })
      .check((given) => {
        for (const [option, kind] of Object.entries(ONLY)) {
          if (given[option] === undefined || given.what === kind) continue;
          throw new Failure(EXIT.wrongCommand, `--${option} goes with export ${kind}`, 'leave it out');
        }
        if (given.compare === undefined || given.out === undefined) return true;
        throw new Failure(
          EXIT.wrongCommand,
          '--compare only tells what has changed',
          'leave out --out, and write the document afterwards',
        );
      }),

  async run(context, given) {
    const [what, out] = [given.what as Kind, given.out as string | undefined];
    if (what === 'samples') {
      const { exportSamples } = await import('./export/samples.ts');
      return exportSamples(context, samplesAsked(given));
    }
    const project = await asServed(context, what);
    if (given.compare !== undefined) {
      const { compareWith } = await import('./export/compare.ts');
      return compareWith(context, project, given.compare as string);
    }
    if (what === 'schemas') return schemas(context, project, out);
    const text = await textOf(what, project, given);
    if (out === undefined) {
      // A document is a JSON value already.
      if (given.json === true && !(what === 'openapi' && given.yaml !== true)) context.terminal.value({ text });
      else process.stdout.write(text);
      return EXIT.done;
    }
    writeGiven(out, text, REMEDY);
    context.terminal.value({ written: out });
    context.terminal.say(`wrote ${out}`);
    return EXIT.done;
  },
};

/** What describes the service: it takes no more than columns that were there already do. */
const DESCRIBING: readonly Kind[] = ['openapi', 'client', 'types'];

async function asServed(context: Context, what: Kind): Promise<SoundProject> {
  const { soundProject } = await import('./load-project.ts');
  try {
    return await soundProject(context, { fitted: DESCRIBING.includes(what) });
  } catch (error) {
    if (!(error instanceof Failure) || error.exit !== EXIT.options) throw error;
    context.terminal.warn(`${error.message}: the rules are those of the models alone`);
    return soundProject(context);
  }
}

const USUAL_ROWS = 50;
const MOST_ROWS = 10_000;

function samplesAsked({ rows = USUAL_ROWS, mask = [], out }: Arguments): SamplesAsked {
  if (!Number.isInteger(rows) || (rows as number) < 1 || (rows as number) > MOST_ROWS) {
    throw new Failure(EXIT.wrongCommand, `--rows must be a whole number from 1 to ${MOST_ROWS}`, 'as --rows 50');
  }
  return { rows: rows as number, mask: mask as string[], out: out as string | undefined };
}

async function textOf(
  what: Exclude<Kind, 'schemas' | 'samples'>,
  project: SoundProject,
  given: Arguments,
): Promise<string> {
  const { graph } = project;
  switch (what) {
    case 'openapi': {
      const { documentJson, documentYaml, openApi } = await import('../core/document/openapi.ts');
      const { firstSamples } = await import('../project/samples.ts');
      const { withCodeFacts } = await import('../project/project.ts');
      const document = openApi(withCodeFacts(project), firstSamples(project));
      const isYaml = given.yaml === true || /\.ya?ml$/.test((given.out as string | undefined) ?? '');
      return isYaml ? documentYaml(document) : documentJson(document);
    }
    case 'types': {
      if (given.code === true) {
        const { codeTypes } = await import('../core/document/code-types.ts');
        const { apiDeclarations } = await import('../project/client-parts.ts');
        return codeTypes(graph, apiDeclarations());
      }
      return (await import('../core/document/api-types.ts')).apiTypes(graph);
    }
    case 'client': {
      const { clientText } = await import('../core/document/client.ts');
      const { clientParts } = await import('../project/client-parts.ts');
      return clientText(graph, clientParts());
    }
    case 'sql': {
      const { tablesSql } = await import('./export/sql.ts');
      return tablesSql(project, given.store as StoreKind | undefined);
    }
  }
}

/** Many files into a folder; on standard output, one JSON value with all of them. */
async function schemas({ terminal }: Context, { graph }: SoundProject, out: string | undefined): Promise<number> {
  const { modelSchemas } = await import('../core/document/model-schemas.ts');
  const { documentJson } = await import('../core/document/openapi.ts');
  const files = modelSchemas(graph);
  if (out === undefined) {
    process.stdout.write(documentJson(files));
    return EXIT.done;
  }
  makeGiven(out, REMEDY);
  for (const [name, schema] of Object.entries(files)) writeGiven(join(out, name), documentJson(schema), REMEDY);
  terminal.value({ written: Object.keys(files).map((name) => join(out, name)) });
  terminal.say(`wrote ${Object.keys(files).length} schemas to ${out}`);
  return EXIT.done;
}

const REMEDY = 'name another with --out';
