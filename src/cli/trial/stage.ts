import { heldRoles } from '../../core/identity/callers.ts';
import { modelOf } from '../../core/model/graph.ts';
import type { Graph } from '../../core/model/graph.ts';
import type { Model } from '../../core/model/model.ts';
import type { FieldValue, Scalar } from '../../core/model/scalar.ts';
import type { KnownValues } from '../../core/rules/examples.ts';
import { fillSamples } from '../../core/samples/fill.ts';
import type { Filled } from '../../core/samples/fill.ts';
import { readSamples } from '../../core/samples/read.ts';
import type { Service } from '../../core/service.ts';
import { keyColumn } from '../../core/sql/stored.ts';
import type { Store } from '../../core/store/contract.ts';
import { journalTable, samplesTable } from '../../core/tables/own-tables.ts';
import { deriveCases } from '../../core/trial/derive.ts';
import type { Derived } from '../../core/trial/derive.ts';
import { keyTextOf, worldState } from '../../core/trial/oracle/world-state.ts';
import type { JournalLine, Row, WorldState } from '../../core/trial/oracle/world-state.ts';
import { NOBODY, worldOf } from '../../core/trial/world.ts';
import type { Person, World } from '../../core/trial/world.ts';
import { provedAddresses } from '../../project/callers.ts';
import { handlesIn } from '../../project/handles.ts';
import type { SoundProject } from '../../project/project.ts';
import { readSampleFiles } from '../../project/samples.ts';

/** What is tried, before anything is: the cases, and a token for everybody in the sample data. */
export interface Stage {
  readonly derived: Derived;
  readonly tokens: ReadonlyMap<string, string>;
  /** The keys of samples, by `hut/grey-hut`. */
  readonly keys: ReadonlyMap<string, unknown>;
  readonly known: KnownValues;
  /** The samples, and who is in them; undefined where there are too many records. */
  readonly world: World | undefined;
}

/** `service` is one that is sound, over a store with the samples; `now` is its time. */
export async function stageOf(project: SoundProject, service: Service, store: Store, now: Date): Promise<Stage> {
  const { graph } = project;
  const known = knownValues(project);
  const before = await readWorld(graph, service, store);
  const filled = isSmallWorld(before)
    ? await fillSamples(graph, service.writes, known, before, () => readWorld(graph, service, store), now)
    : NOTHING_FILLED;
  const state = filled.made > 0 ? await readWorld(graph, service, store) : before;
  const { people, tokens } = await peopleIn(graph, service, store, state, filled);
  const world = isSmallWorld(state) ? worldOf(state, people, now) : undefined;
  const derived = world === undefined ? tooMany(deriveCases(graph, known, now)) : deriveCases(graph, known, now, world);
  const isLeftOut = ({ model }: { model: string }): boolean => derived.skipped.some((one) => one.model === model);
  const skipped = filled.obstacles
    .filter((one) => !isLeftOut(one))
    .map(({ model, why }) => ({ model, title: 'records beside the samples', why }));
  const all = { ...derived, skipped: [...derived.skipped, ...skipped] };
  return { derived: all, tokens, keys: await handlesIn(graph, store), known, world };
}

const NOTHING_FILLED: Filled = { made: 0, people: new Map(), obstacles: [] };

const isSmallWorld = (state: WorldState): boolean =>
  state.graph.models.every(({ name }) => state.allOf(name).length <= MOST_ROWS);

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

/** All records of a service, as far as they are not too many. */
export async function readWorld(graph: Graph, service: Service, store: Store): Promise<WorldState> {
  const rows = new Map<string, readonly Row[]>();
  await service.writes.run(null, async (work) => {
    const scope = service.writes.scopeOf(work);
    for (const { name } of graph.models)
      rows.set(name, await scope.model(name).find(undefined, { limit: MOST_ROWS + 1 }));
  });
  for (const model of graph.models) rows.set(model.name, await withSecrets(model, rows.get(model.name)!, store));
  const count = { sql: `SELECT count(*) FROM ${store.dialect.name(journalTable.name)}` };
  return worldState(graph, rows, Number((await store.first(count, []))![0]));
}

/** Records with a mark in place of each secret: none is ever read, but a change to null is one where one is kept. */
async function withSecrets({ fields, key, table }: Model, rows: readonly Row[], store: Store): Promise<readonly Row[]> {
  const { dialect } = store;
  let marked = rows;
  for (const { member, column } of fields.filter(({ type }) => type === 'secret')) {
    const from = `FROM ${dialect.name(table)} WHERE ${dialect.name(column)} IS NOT NULL`;
    const sql = `SELECT ${keyColumn(dialect, key)} ${from}`;
    const keys = new Set((await store.all({ sql }, [])).map(([one]) => keyTextOf(one as FieldValue)));
    marked = marked.map((row) => (keys.has(keyTextOf(row[key.member])) ? { ...row, [member]: 'kept' } : row));
  }
  return marked;
}

/** All lines of the journal, in their order. */
export async function readJournal(store: Store): Promise<readonly JournalLine[]> {
  const { name } = store.dialect;
  const columns = ['model', 'record', 'action', 'by'].map(name).join(', ');
  const sql = `SELECT ${columns} FROM ${name(journalTable.name)} ORDER BY ${name('id')}`;
  return (await store.all({ sql }, [])).map(([model, record, action, by]) => ({
    model: String(model),
    record: String(record),
    action: String(action) as JournalLine['action'],
    by: by === null ? null : String(by),
  }));
}

/** Everybody in the sample data, with a token each. */
async function peopleIn(
  graph: Graph,
  service: Service,
  store: Store,
  state: WorldState,
  filled: Filled,
): Promise<{ people: readonly Person[]; tokens: ReadonlyMap<string, string> }> {
  const tokens = new Map<string, string>();
  const people: Person[] = [NOBODY];
  const { identity } = graph;
  if (identity === undefined || identity.issuer !== undefined) return { people, tokens };
  const { key } = modelOf(graph, identity.model);
  const names = await namesOf(store, identity.model);
  const isProved = await provedAddresses(graph, store);
  const address = identity.codes?.to.member ?? '';
  for (const [name, made] of filled.people) names.set(keyTextOf(made), name);
  for (const row of state.allOf(identity.model)) {
    const id = row[key.member] as Scalar;
    const name = names.get(String(id)) ?? String(id);
    const roles = (row[identity.roles?.member ?? ''] ?? null) as string[] | string | null;
    const caller = { key: id, roles: heldRoles(roles, isProved(keyTextOf(id), row[address])) };
    people.push({ name, caller });
    tokens.set(name, await service.token(String(id), TOKEN_SECONDS));
  }
  return { people, tokens };
}

/** Longer than any trial, whose clock goes on by more than the time that passes. */
const TOKEN_SECONDS = 30 * 86_400;

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
