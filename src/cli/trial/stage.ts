import { modelOf } from '../../core/model/graph.ts';
import type { Graph } from '../../core/model/graph.ts';
import type { FieldValue, Scalar } from '../../core/model/scalar.ts';
import type { KnownValues } from '../../core/rules/examples.ts';
import { readSamples } from '../../core/samples/read.ts';
import type { Service } from '../../core/service.ts';
import type { Store } from '../../core/store/contract.ts';
import { samplesTable } from '../../core/tables/own-tables.ts';
import { deriveCases } from '../../core/trial/derive.ts';
import type { Derived } from '../../core/trial/derive.ts';
import type { Row } from '../../core/trial/oracle.ts';
import { NOBODY, worldOf } from '../../core/trial/world.ts';
import type { Person, World } from '../../core/trial/world.ts';
import { handlesIn } from '../../project/handles.ts';
import type { SoundProject } from '../../project/project.ts';
import { readSampleFiles } from '../../project/samples.ts';

/** What is tried, before anything is: the cases, and a token for everybody in the sample data. */
export interface Stage {
  readonly derived: Derived;
  readonly tokens: ReadonlyMap<string, string>;
  /** The keys of samples, by `hut/grey-hut`. */
  readonly keys: ReadonlyMap<string, unknown>;
}

/** `service` is one that is sound, over a store with the samples. */
export async function stageOf(project: SoundProject, service: Service, store: Store): Promise<Stage> {
  const { graph } = project;
  const { world, tokens } = await worldIn(graph, service, store);
  const known = knownValues(project);
  const derived =
    world === undefined ? tooMany(deriveCases(graph, known, new Date())) : deriveCases(graph, known, world.now, world);
  return { derived, tokens, keys: await handlesIn(graph, store) };
}

/** The most records of one model for which everything is computed in JavaScript. */
const MOST_ROWS = 2_000;

const tooMany = ({ cases, skipped }: Derived): Derived => ({
  cases,
  skipped: [
    ...skipped,
    {
      model: 'all models',
      title: 'filters, orders, pages and callers',
      why: `the samples have more than ${MOST_ROWS} records of one model`,
    },
  ],
});

/** The loaded sample data, and a token for each caller in it; no world where there are too many records. */
async function worldIn(
  graph: Graph,
  service: Service,
  store: Store,
): Promise<{ world: World | undefined; tokens: ReadonlyMap<string, string> }> {
  const rows = new Map<string, readonly Row[]>();
  await service.writes.run(null, async (work) => {
    const scope = service.writes.scopeOf(work);
    for (const { name } of graph.models)
      rows.set(name, await scope.model(name).find(undefined, { limit: MOST_ROWS + 1 }));
  });
  const tokens = new Map<string, string>();
  const people: Person[] = [NOBODY];
  const { identity } = graph;
  if (identity !== undefined && identity.issuer === undefined) {
    const { key } = modelOf(graph, identity.model);
    const names = await namesOf(store, identity.model);
    for (const row of rows.get(identity.model)!) {
      const id = row[key.member] as Scalar;
      const name = names.get(String(id)) ?? String(id);
      const roles = identity.roles === undefined ? null : (row[identity.roles.member] ?? null);
      people.push({ name, caller: { key: id, roles: roles === null ? [] : ([roles].flat() as string[]) } });
      tokens.set(name, await service.token(String(id), 86_400));
    }
  }
  const isSmall = [...rows.values()].every(({ length }) => length <= MOST_ROWS);
  return { world: isSmall ? worldOf(graph, rows, people, new Date()) : undefined, tokens };
}

/** The handles of a model's samples, by the keys of their records. */
async function namesOf(store: Store, model: string): Promise<Map<string, string>> {
  const { name } = store.dialect;
  const sql =
    `SELECT ${name('name')}, ${name('key')} ` +
    `FROM ${name(samplesTable.name)} WHERE ${name('name')} LIKE ` +
    `${store.dialect.placeholder(1)}`;
  const found = await store.all({ sql }, [`${model}/%`]);
  return new Map(found.map(([handle, key]) => [String(key), String(handle).slice(model.length + 1)]));
}

/** The values of the samples, of which derived cases take those that can't be made up. */
function knownValues({ folder, graph }: SoundProject): KnownValues {
  const known = new Map<string, FieldValue[]>();
  for (const { model, values } of readSamples(graph, readSampleFiles(folder, graph).sources).rows) {
    for (const [member, value] of Object.entries(values)) {
      const name = `${model.name}.${member}`;
      known.set(name, [...(known.get(name) ?? []), value as FieldValue]);
    }
  }
  return known;
}
