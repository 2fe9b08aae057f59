import type { Graph } from '../core/model/graph.ts';
import type { Store } from '../core/store/contract.ts';
import { samplesTable } from '../core/tables/own-tables.ts';

/** Whether the database has no table of samples, because it has none of the tool's own. */
const remembersNone = ({ fitted }: Graph): boolean => fitted?.isBare === true;

/** The keys of all samples that were loaded into a store, by `hut/grey-hut`. */
export async function handlesIn(graph: Graph, store: Store): Promise<Map<string, string | number>> {
  if (remembersNone(graph)) return new Map();
  const { name } = store.dialect;
  const sql = `SELECT ${name('name')}, ${name('key')} FROM ${name(samplesTable.name)} ORDER BY ${name('name')}`;
  const found = await store.all({ sql }, []);
  return new Map(
    found.map(([handle, key]) => {
      const model = graph.byName.get(String(handle).split('/')[0]!);
      return [String(handle), model?.key.type === 'integer' ? Number(key) : String(key)];
    }),
  );
}

/** The key of the record that a sample was loaded into, as text; undefined where there is none of that name. */
export async function keyOfSample(graph: Graph, store: Store, sample: string): Promise<string | undefined> {
  if (remembersNone(graph)) return undefined;
  const { name, placeholder } = store.dialect;
  const sql = `SELECT ${name('key')} FROM ${name(samplesTable.name)} WHERE ${name('name')} = ${placeholder(1)}`;
  const row = await store.first({ sql }, [sample]);
  return row && String(row[0]);
}
