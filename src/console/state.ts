// What the page shows at the moment. Each part of it is a signal; what follows from others is computed.
import { batch, computed, signal } from '@preact/signals';
import { columnsOf, listTarget, modelOf, recordPath, usualColumns } from './records.ts';
import type { Row } from './records.ts';
import { ask, faultsOf } from './trail.ts';
import type { Entry } from './trail.ts';
import { call, Trouble } from './wire.ts';
import type { Model, ServiceShown } from './wire.ts';

export type Room = 'records' | 'map' | 'access' | 'request' | 'trials';

export const service = signal<ServiceShown | undefined>(undefined);
export const room = signal<Room>('records');
export const modelName = signal('');
/** Whose eyes one looks through: a sample, a login, a key; null for nobody. */
export const eyes = signal<string | null>(null);
/** Who is put beside them; undefined for nobody else. */
export const beside = signal<string | null | undefined>(undefined);
/** What went wrong with the page itself. */
export const trouble = signal('');
/** Something that was done, and how it is taken back. */
export const done = signal<{ readonly text: string; undo?: () => Promise<void> } | undefined>(undefined);

export const model = computed<Model | undefined>(() =>
  service.value?.models.find(({ name }) => name === modelName.value),
);

/** How a list is looked at; by its model, so that coming back finds it as it was. */
export interface Look {
  readonly columns: readonly string[];
  readonly filter: string;
  readonly sort: string;
}
const looks = signal<ReadonlyMap<string, Look>>(new Map());
export const look = computed<Look>(() => {
  const of = model.value;
  return (
    looks.value.get(modelName.value) ?? { columns: of === undefined ? [] : usualColumns(of), filter: '', sort: '' }
  );
});
export function lookAt(change: Partial<Look>): void {
  looks.value = new Map(looks.value).set(modelName.value, { ...look.value, ...change });
  void loadList();
}

/** One list, as one caller sees it. */
export interface Seen {
  readonly rows: readonly Row[];
  readonly next: string | null;
  readonly prev: string | null;
  readonly total: number | undefined;
  /** Why there is none. */
  readonly refusal: string;
  readonly entry: Entry | undefined;
}
export const list = signal<Seen | undefined>(undefined);
export const other = signal<Seen | undefined>(undefined);
export const isLoading = signal(false);

/** The record that is open beside the list, or is being made. */
export interface Open {
  /** Another for each that was shown: a form begins anew. */
  readonly number?: number;
  readonly model: string;
  /** Undefined where it is new. */
  readonly key: unknown;
  readonly row: Row | undefined;
  readonly tag: string | undefined;
  readonly may: readonly string[];
  readonly refusal: string;
  readonly isEdited: boolean;
}
export const open = signal<Open | undefined>(undefined);
let shows = 0;
/** Whether the running record is in sight: a narrow window has room for it beside a list, or not at all. */
export const isTrailOpen = signal(innerWidth >= 1020);
const WIDE = 1240;

/** Shows a record, a form, or nothing. What was asked for before that, and comes later, is not shown any more. */
export function show(next: Open | undefined): void {
  shows += 1;
  open.value = next && { ...next, number: shows };
}

const LIMIT = 50;
let asked = 0;

/** Asks for the list of the model that is looked at, or for another page of it. */
export async function loadList(page?: string): Promise<void> {
  const [shown, of] = [service.value, model.value];
  if (shown === undefined || of === undefined) return;
  const own = (asked += 1);
  isLoading.value = true;
  await guarded(async () => {
    const first = listTarget(shown, of, { ...look.value, limit: Math.min(LIMIT, shown.most) });
    const target = page ?? `${first}&total=true`;
    const one = await seenBy(eyes.value, target);
    const two =
      beside.value === undefined ? undefined : await seenBy(beside.value, page === undefined ? target : sameOf(one));
    // Cursors belong to a caller: of a later page, the other sees what is on it.
    function sameOf({ rows }: Seen): string {
      const keys = rows.map((row) => literal(row[of!.key])).join(', ');
      const among = keys === '' ? 'FALSE' : `${of!.key} IN (${keys})`;
      const filter = look.value.filter === '' ? among : `(${look.value.filter}) AND ${among}`;
      return listTarget(shown!, of!, { ...look.value, filter, limit: Math.min(LIMIT, shown!.most) });
    }
    // An answer that another question has overtaken is of no interest.
    if (own !== asked) return;
    list.value = one;
    other.value = two;
  });
  if (own === asked) isLoading.value = false;
}

const literal = (key: unknown): string =>
  typeof key === 'number' ? String(key) : `'${String(key).replaceAll("'", "''")}'`;

async function seenBy(as: string | null, target: string): Promise<Seen> {
  const entry = await ask({ as, method: 'GET', target });
  if (entry.answer.status !== 200) {
    const { text, faults } = faultsOf(entry);
    const refusal = faults.length === 0 ? text : faults.map((fault) => fault.detail).join('\n');
    return { rows: [], next: null, prev: null, total: undefined, refusal, entry };
  }
  const { data, page } = entry.value as {
    data: readonly Row[];
    page: { next: string | null; prev: string | null; total?: number };
  };
  return { rows: data, next: page.next, prev: page.prev, total: page.total, refusal: '', entry };
}

/** Goes to the records of a model. */
export function goTo(name: string, filter?: string): void {
  if (name !== modelName.value) list.value = undefined;
  modelName.value = name;
  show(undefined);
  if (room.value !== 'access') room.value = 'records';
  if (filter !== undefined) lookAt({ filter });
  else void loadList();
}

/** Opens a record beside the list. */
export async function openRecord(of: string, key: unknown): Promise<void> {
  const shown = service.value;
  if (shown === undefined) return;
  const own = (shows += 1);
  if (innerWidth < WIDE) isTrailOpen.value = false;
  await guarded(async () => {
    const entry = await ask({
      as: eyes.value,
      method: 'GET',
      target: `${recordPath(modelOf(shown, of), key)}?may=true`,
    });
    if (own !== shows) return;
    const isThere = entry.answer.status === 200;
    const { data } = (entry.value ?? {}) as { data?: Row & { may?: string[] } };
    const { may = [], ...row } = isThere ? data! : {};
    show({
      model: of,
      key,
      row: isThere ? row : undefined,
      tag: entry.answer.headers.etag,
      may,
      refusal: isThere ? '' : faultsOf(entry).text,
      isEdited: false,
    });
  });
}

export function newRecord(): void {
  show({
    model: modelName.value,
    key: undefined,
    row: undefined,
    tag: undefined,
    may: [],
    refusal: '',
    isEdited: true,
  });
}

/** Loads what is looked at anew: somebody else looks, or something was written. */
export async function refresh(): Promise<void> {
  const now = open.value;
  await loadList();
  // What somebody is about to write is theirs.
  if (now?.key !== undefined && now === open.value && !now.isEdited) await openRecord(now.model, now.key);
}

/** What fails of the page itself is told at its top. */
export async function guarded(work: () => Promise<void>): Promise<void> {
  try {
    await work();
    trouble.value = '';
  } catch (error) {
    trouble.value = error instanceof Trouble ? error.message : `The page has a defect: ${String(error)}`;
  }
}

/** Loads what there is to look at: the first time, and when another service answers. */
export async function reload(): Promise<void> {
  await guarded(async () => {
    const shown = await call<ServiceShown>('service');
    const isThere = (name: string): boolean => shown.models.some((one) => one.name === name);
    batch(() => {
      service.value = shown;
      if (!isThere(modelName.value)) modelName.value = shown.models[0]?.name ?? '';
      if (open.value !== undefined && !isThere(open.value.model)) show(undefined);
      looks.value = new Map();
    });
    document.title = `${shown.name} · console`;
    await refresh();
  });
}

export const shownColumns = computed(() => {
  const of = model.value;
  return of === undefined ? [] : columnsOf(of).filter(({ member }) => look.value.columns.includes(member));
});
