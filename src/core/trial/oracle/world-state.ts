import type { Graph } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import type { FieldValue } from '../../model/scalar.ts';
import { keyTextOf } from '../../search/records.ts';
import type { Records, Row } from '../../search/records.ts';

export { keyTextOf };
export type { Records, Row };

/** One line of a record's journal. */
export interface JournalLine {
  readonly model: string;
  /** The key as text. */
  readonly record: string;
  readonly action: 'create' | 'update' | 'delete';
  /** The key of the caller as text; null for nobody and the service itself. */
  readonly by: string | null;
}

/** A world of records in plain JavaScript, which can be changed, and copied at the cost of what is changed. */
export interface WorldState extends Records {
  readonly graph: Graph;
  /** How many lines the journal had when the world was read. */
  readonly linesBefore: number;
  /** The lines that were written since, the latest last. */
  readonly journal: readonly JournalLine[];
  put(model: Model, row: Row): void;
  remove(model: Model, key: FieldValue): void;
  note(line: JournalLine): void;
  /** Gives the lines of a record another key. */
  relabel(model: Model, from: FieldValue, to: FieldValue): void;
  /** The keys of callers whose tokens have ended: they have another secret now. */
  readonly ended: ReadonlySet<string>;
  endTokens(key: FieldValue): void;
  /** The same world; changes of one are not seen in the other. */
  fork(): WorldState;
}

type Tables = Map<string, Map<string, Row>>;

/** `rows` are all records of each model. */
export function worldState(graph: Graph, rows: ReadonlyMap<string, readonly Row[]>, linesBefore = 0): WorldState {
  const tables: Tables = new Map(
    graph.models.map(({ name, key }) => [
      name,
      new Map((rows.get(name) ?? []).map((row) => [keyTextOf(row[key.member]), row])),
    ]),
  );
  return stateOver(graph, tables, { linesBefore, lines: [], ended: new Set() });
}

interface Begun {
  readonly linesBefore: number;
  readonly lines: readonly JournalLine[];
  readonly ended: ReadonlySet<string>;
}

function stateOver(graph: Graph, shared: Tables, { linesBefore, lines, ended }: Begun): WorldState {
  const tables = new Map(shared);
  const own = new Set<string>();
  const lists = new Map<string, readonly Row[]>();
  const journal = [...lines];
  const over = new Set(ended);
  const tableOf = (name: string): Map<string, Row> => tables.get(name)!;
  /** A table of this world's own, copied at its first change. */
  function changed(name: string): Map<string, Row> {
    lists.delete(name);
    if (!own.has(name)) {
      own.add(name);
      tables.set(name, new Map(tableOf(name)));
    }
    return tableOf(name);
  }
  return {
    graph,
    linesBefore,
    journal,
    ended: over,
    endTokens: (key) => void over.add(keyTextOf(key)),
    allOf(name) {
      let list = lists.get(name);
      if (list === undefined) lists.set(name, (list = [...tableOf(name).values()]));
      return list;
    },
    byKey: (name, key) => (key === null || key === undefined ? undefined : tableOf(name).get(keyTextOf(key))),
    put: ({ name, key }, row) => void changed(name).set(keyTextOf(row[key.member]), row),
    remove: ({ name }, key) => void changed(name).delete(keyTextOf(key)),
    note: (line) => void journal.push(line),
    relabel({ name }, from, to) {
      journal.forEach((line, at) => {
        if (line.model === name && line.record === keyTextOf(from)) journal[at] = { ...line, record: keyTextOf(to) };
      });
    },
    fork() {
      // Both copy what they change from here on.
      own.clear();
      return stateOver(graph, tables, { linesBefore, lines: journal, ended: over });
    },
  };
}
