import { StoreError } from '../../core/store/contract.ts';
import { command } from './ask.ts';
import type { Client } from './ask.ts';
import { codeStart } from './progress.ts';

/** A name that a script takes away: of a table, or of one of its columns. */
interface Taken {
  readonly table: string;
  readonly column?: string;
}

const ON_TABLE = /^ALTER\s+TABLE\s+"((?:[^"]|"")+)"\s+(.*)$/is;
const OF_COLUMN = /\b(?:DROP|RENAME)\s+COLUMN\s+"((?:[^"]|"")+)"/gi;
const DROPPED = /^DROP\s+TABLE\s+(?:IF\s+EXISTS\s+)?"((?:[^"]|"")+)"/i;

/** The names that a statement takes away. */
function takenBy(statement: string): Taken[] {
  const code = codeStart(statement);
  const dropped = DROPPED.exec(code)?.[1];
  if (dropped !== undefined) return [{ table: dropped }];
  const [, table, rest = ''] = ON_TABLE.exec(code) ?? [];
  if (table === undefined) return [];
  if (/^RENAME\s+TO\b/i.test(rest)) return [{ table }];
  return [...rest.matchAll(OF_COLUMN)].map(([, column]) => ({ table, column: column! }));
}

/** A view or a trigger of somebody else, with the code that names what it needs. */
interface Dependent {
  readonly what: string;
  readonly code: string;
  /** The table whose rows a trigger is about. */
  readonly on?: string;
}

const VIEWS =
  'SELECT TABLE_NAME, VIEW_DEFINITION FROM information_schema.VIEWS WHERE TABLE_SCHEMA = database() ' +
  "AND TABLE_NAME NOT LIKE 'vantfell!_%' ESCAPE '!'";
const TRIGGERS =
  'SELECT TRIGGER_NAME, ACTION_STATEMENT, EVENT_OBJECT_TABLE FROM information_schema.TRIGGERS ' +
  'WHERE TRIGGER_SCHEMA = database()';

/**
 * MariaDB lets go what views and triggers of others need, and they break afterwards: so they are looked for before
 * anything is done. Throws `StoreError` with their names.
 */
export async function refuseBroken(client: Client, statements: readonly string[]): Promise<void> {
  const taken = statements.flatMap(takenBy);
  if (taken.length === 0) return;
  const [views, triggers] = await Promise.all([command(client, VIEWS), command(client, TRIGGERS)]);
  const dependents: Dependent[] = [
    ...views.rows.map(([name, code]) => ({ what: `the view ${name}`, code: String(code) })),
    ...triggers.rows.map(([name, code, on]) => ({
      what: `the trigger ${name} on ${on}`,
      code: String(code),
      on: String(on),
    })),
  ];
  const broken = dependents.filter((one) => taken.some((name) => needs(one, name)));
  if (broken.length === 0) return;
  throw new StoreError(
    { kind: 'refused' },
    `${broken.map(({ what }) => what).join(', ')} would be broken`,
    'change or drop that first: it is not of this tool, and would be broken',
  );
}

function needs({ code, on }: Dependent, { table, column }: Taken): boolean {
  const names = (word: string): boolean => new RegExp(`(^|[^\\w$])${escaped(word)}($|[^\\w$])`, 'i').test(code);
  if (column === undefined) return names(table) && on !== table;
  return (names(table) || on === table) && names(column);
}

const escaped = (word: string): string => word.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
