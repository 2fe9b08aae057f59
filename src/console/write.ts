// What is written, and how it is taken back.
import { labelOf, recordPath, textOf } from './records.ts';
import type { Row } from './records.ts';
import { done, eyes, guarded, loadList, openRecord, show } from './state.ts';
import { ask, faultsOf } from './trail.ts';
import type { Entry, Fault } from './trail.ts';
import type { Model } from './wire.ts';

/** What a write came to, where it was refused. */
export interface Refused {
  readonly status: number;
  readonly text: string;
  readonly faults: readonly Fault[];
}

const refusedBy = (entry: Entry): Refused => ({ status: entry.answer.status, ...faultsOf(entry) });

/** Only on the record as it was read, where that is known. */
const onlyOn = (tag: string | undefined): Record<string, string> => (tag === undefined ? {} : { 'if-match': tag });

const patch = (model: Model, key: unknown, body: Row, tag: string | undefined): Promise<Entry> =>
  ask({
    as: eyes.value,
    method: 'PATCH',
    target: recordPath(model, key),
    headers: { 'content-type': 'application/merge-patch+json', ...onlyOn(tag) },
    body: JSON.stringify(body),
  });

/** Changes some members of a record; `before` is what they were. */
export async function change(
  model: Model,
  row: Row,
  changes: Row,
  tag: string | undefined,
): Promise<Refused | undefined> {
  const key = row[model.key];
  const entry = await patch(model, key, changes, tag);
  if (entry.answer.status >= 300) return refusedBy(entry);
  const before = Object.fromEntries(Object.keys(changes).map((member) => [member, row[member] ?? null]));
  const since = entry.answer.headers.etag;
  const text = `Changed ${labelOf(model, row)}: ${Object.keys(changes).join(', ')}.`;
  await after(model, key, text, async () => {
    const back = await patch(model, key, before, since);
    await afterUndo(model, back, key, `Taken back: ${Object.keys(changes).join(', ')} as before.`);
  });
  return undefined;
}

export async function create(model: Model, body: Row): Promise<Refused | undefined> {
  const entry = await ask({
    as: eyes.value,
    method: 'POST',
    target: model.path,
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
  });
  if (entry.answer.status >= 300) return refusedBy(entry);
  const { data } = entry.value as { data: Row };
  const key = data[model.key];
  const isKept = model.verbs.includes('delete');
  const undo = async (): Promise<void> => {
    const back = await ask({ as: eyes.value, method: 'DELETE', target: recordPath(model, key) });
    await afterUndo(model, back, undefined, `Taken back: ${labelOf(model, data)} is not there any more.`);
  };
  await after(model, key, `Made ${labelOf(model, data)}.`, isKept ? undo : undefined);
  return undefined;
}

export async function remove(model: Model, row: Row, tag: string | undefined): Promise<Refused | undefined> {
  const entry = await ask({
    as: eyes.value,
    method: 'DELETE',
    target: recordPath(model, row[model.key]),
    headers: onlyOn(tag),
  });
  if (entry.answer.status >= 300) return refusedBy(entry);
  show(undefined);
  done.value = { text: `Deleted ${labelOf(model, row)}.` };
  await loadList();
  return undefined;
}

/** Calls an operation of a record, or of a model where there is no row. */
export async function operate(
  model: Model,
  row: Row | undefined,
  { name, reads }: { readonly name: string; readonly reads: boolean },
  input: Row,
): Promise<{ refused: Refused | undefined; value: unknown }> {
  const path = `${row === undefined ? model.path : recordPath(model, row[model.key])}/${name}`;
  const query = new URLSearchParams(
    Object.entries(input).flatMap(([member, value]) => (value === null ? [] : [[member, textOf(value)]])),
  );
  const entry = await ask(
    reads
      ? { as: eyes.value, method: 'GET', target: query.size === 0 ? path : `${path}?${query.toString()}` }
      : {
          as: eyes.value,
          method: 'POST',
          target: path,
          headers: { 'content-type': 'application/json' },
          body: JSON.stringify(input),
        },
  );
  if (entry.answer.status >= 300) return { refused: refusedBy(entry), value: undefined };
  const value = (entry.value as { data?: unknown } | undefined)?.data;
  if (!reads) await after(model, row?.[model.key], `Done: ${name}.`, undefined);
  return { refused: undefined, value };
}

async function after(model: Model, key: unknown, text: string, undo: (() => Promise<void>) | undefined): Promise<void> {
  done.value = { text, ...(undo === undefined ? {} : { undo: () => guarded(undo) }) };
  await showAnew(model, key);
}

async function afterUndo(model: Model, back: Entry, key: unknown, text: string): Promise<void> {
  if (back.answer.status >= 300) {
    done.value = { text: `It can not be taken back: ${refusedBy(back).text}` };
    return;
  }
  done.value = { text };
  if (key === undefined) show(undefined);
  await showAnew(model, key);
}

/** The list as it is now, and a record beside it. That is begun first: what the person opens meanwhile stays. */
async function showAnew(model: Model, key: unknown): Promise<void> {
  const opening = key === undefined ? undefined : openRecord(model.name, key);
  await loadList();
  await opening;
}
