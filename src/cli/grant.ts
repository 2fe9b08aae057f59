import type { Graph } from '../core/model/graph.ts';
import type { Field } from '../core/model/field.ts';
import type { FieldValue, Scalar } from '../core/model/scalar.ts';
import type { Store } from '../core/store/contract.ts';
import { EXIT, Failure } from '../project/failure.ts';
import type { Command, Context } from './command.ts';

export const grant: Command = {
  usage: 'grant <who> <role..>',
  about: "Give somebody roles, in the project's database: the first administrator, for one",
  examples: [
    ['vantfell grant ines@huts.example role:steward', 'by their login, after asking'],
    ['vantfell grant member/ines steward', 'by their sample; `role:` can be left out'],
    ['vantfell grant ines@huts.example steward --revoke', 'takes the role away'],
  ],
  options: (yargs) =>
    yargs
      .positional('who', { type: 'string', demandOption: true, describe: 'a sample, a login, or a key' })
      .positional('role', { type: 'string', array: true, demandOption: true, describe: 'a role, as role:steward' })
      .option('revoke', { type: 'boolean', default: false, describe: 'take the roles away instead' }),

  async run(context, given) {
    const { soundProject } = await import('./load-project.ts');
    const { openWithAnswers } = await import('./resolve-questions.ts');
    const { soundCode } = await import('../project/code.ts');
    const { storeOptions } = await import('../project/serve.ts');
    const { callerCalled } = await import('../project/callers.ts');
    const { confirm } = await import('./terminal/ask.ts');
    const { shownStore } = await import('../project/shown-path.ts');
    const project = await soundProject(context, { fitted: true });
    const { graph } = project;
    const field = rolesField(graph);
    const asked = rolesGiven(graph, given.role as string[]);
    if (field.type !== 'array' && asked.length > 1)
      throw new Failure(EXIT.wrongCommand, `a ${graph.identity!.model} has one role`, 'name one');
    const code = await soundCode(project);
    const store = await openWithAnswers(context, project, { ...storeOptions(graph), slowReads: 0 });
    try {
      const who = String(given.who);
      const key = await callerCalled(graph, store, who);
      const writing = await rolesWriter(graph, store, code, field, key);
      const before = await writing.read();
      const after = given.revoke === true ? without(before, asked) : withMore(field, before, asked);
      if (same(before, after)) {
        const is = given.revoke === true ? 'has none of them' : 'has them already';
        return tell(context, key, before, `nothing to do: ${who} ${is}`);
      }
      const where = shownStore(store.address);
      const question = `${who} has ${rolesText(before)} in ${where}, and will have ${rolesText(after)}. Go on?`;
      if (!(await confirm(context, question, 'say --yes if that is meant'))) return EXIT.foundWrong;
      await writing.write(after);
      const has = `${who} has ${rolesText(after)}; a service that runs knows it in 5 seconds`;
      return tell(context, key, after, has);
    } finally {
      await store.close();
    }
  },
};

const rolesText = (roles: readonly string[]): string =>
  roles.length === 0 ? 'no role' : `the role${roles.length === 1 ? '' : 's'} ${roles.join(', ')}`;

const without = (held: readonly string[], less: readonly string[]): string[] =>
  held.filter((role) => !less.includes(role));

const withMore = (field: Field, held: readonly string[], more: readonly string[]): string[] =>
  field.type === 'array' ? [...held, ...without(more, held)] : [...more];

const same = (one: readonly string[], other: readonly string[]): boolean => one.join('\n') === other.join('\n');

function tell({ terminal }: Context, key: Scalar, roles: readonly string[], text: string): number {
  terminal.show(text);
  terminal.value({ caller: key, roles });
  return EXIT.done;
}

/** The field that the roles stand in; throws where there is none. */
function rolesField({ identity }: Graph): Field {
  if (identity === undefined)
    throw new Failure(EXIT.foundWrong, 'nobody signs in to this service', 'declare an identity in vantfell.yaml');
  if (identity.roles !== undefined) return identity.roles;
  const remedy = 'name the field with the roles in vantfell.yaml: identity: { roles: roles }';
  throw new Failure(EXIT.foundWrong, 'the identity has no roles', remedy);
}

/** `role:steward` or `steward`, each once. */
function rolesGiven({ identity }: Graph, given: readonly string[]): string[] {
  const names = [...new Set(given.map((one) => one.replace(/^role:/, '')))];
  const known = identity!.roleNames;
  const strange = names.find((name) => known?.includes(name) === false);
  if (strange === undefined) return names;
  throw new Failure(EXIT.wrongCommand, `there is no role ${strange}`, `known: ${known!.join(', ')}`);
}

/** Reads and writes somebody's roles as the service does: with the rules, the hooks and the journal. */
async function rolesWriter(
  graph: Graph,
  store: Store,
  code: Awaited<ReturnType<typeof import('../project/code.ts').soundCode>>,
  field: Field,
  key: Scalar,
) {
  const { modelOf } = await import('../core/model/graph.ts');
  const { bodyReader, ownBody } = await import('../core/rules/schema.ts');
  const { brokenRules } = await import('../core/api/problems.ts');
  const { writesOn } = await import('../project/serve.ts');
  const writes = writesOn(graph, store, code);
  const model = modelOf(graph, graph.identity!.model);
  const read = bodyReader(model, 'amend');
  return {
    async read(): Promise<string[]> {
      const record = await writes.run(null, (work) => writes.scopeOf(work).model(model.name).get(key));
      const roles = (record[field.member] ?? null) as string[] | string | null;
      return roles === null ? [] : [roles].flat();
    },
    async write(roles: readonly string[]): Promise<void> {
      const value: FieldValue = field.type === 'array' ? [...roles] : (roles[0] ?? null);
      const { values, failures } = read({ [field.member]: value });
      if (failures.length > 0) throw brokenRules(failures);
      await writes.run(null, (work) => writes.changesOf(model).change(work, 'update', key, ownBody(values)));
    },
  };
}
