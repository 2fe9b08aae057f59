import { both, expressionOf } from '../../access/condition.ts';
import type { Condition } from '../../access/condition.ts';
import { mayBoth, memoizeByPermissions } from '../../access/permissions.ts';
import type { Permissions } from '../../access/permissions.ts';
import type { Principal } from '../../access/principal.ts';
import { hasLives, journaledMembers } from '../../change/journal.ts';
import { compileExpression } from '../../expression/compiled.ts';
import type { CompiledExpression } from '../../expression/compiled.ts';
import type { EvaluationContext } from '../../expression/context.ts';
import { kindOf } from '../../model/expression.ts';
import { modelOf } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import { linkedOf } from '../../model/related.ts';
import type { FieldValue, Scalar } from '../../model/scalar.ts';
import { canonical } from '../../model/value.ts';
import { thereStatement } from '../../query/statements.ts';
import type { Statement } from '../../sql/statement.ts';
import type { EndpointContext } from './context.ts';
import { BETWEEN } from './page-reply.ts';

/** What may be known of a record by somebody, be it there or deleted. */
interface State {
  /** Whether the record is there. */
  readonly isHere: boolean;
  readonly read: boolean;
  readonly journal: boolean;
  /** Of members that are not for everybody: whether their values are seen, and whether they may be set. */
  readonly members: ReadonlyMap<string, { readonly sees: boolean; readonly sets: boolean }>;
}

/** Who may read which lines of a model's journal, and what they see of them. */
export interface JournalLines {
  /** That the record of a line is one whose journal may be read. */
  condition(permissions: Permissions): (before: number) => CompiledExpression;
  /**
   * Undefined where there never was such a record. A key may have had several records, one after the other, each with a
   * life and lines of its own: `line` is one of that which is meant; left out, it is the last.
   */
  stateOf(principal: Principal, key: Scalar, line?: string): Promise<State | undefined>;
  /** What comes before all lines of the last life of a record: the end of the one before it. */
  lifeBefore(key: Scalar, isHere: boolean): Promise<string>;
  /** Takes out of the JSON of lines what their reader may not see. */
  finisher(principal: Principal): (records: string) => Promise<string>;
}

/** A line as its reader gets it. */
interface Line {
  readonly id?: string;
  readonly record?: string;
  changes?: Changes;
}

type Changes = Record<string, { before?: FieldValue; after?: FieldValue }>;

export function journalLines(model: Model, journal: Model, { graph, store, runtime }: EndpointContext): JournalLines {
  const { dialect } = store;
  const { name, placeholder } = dialect;
  const table = name(journal.table);
  const [ROW, LAST, STATE] = ['@record', '@last', '@state'].map(name) as [string, string, string];
  const key = `${ROW}.${name(model.key.column)}`;
  const living = `FROM ${name(model.table)} AS ${ROW} WHERE ${key}`;

  /**
   * A record as it was when it was deleted: what the last line of its life tells, in the columns of its table. It is
   * the life that the line `of` is from; left out, the last.
   */
  function deleted(record: string, of?: string): string {
    const changes = `${LAST}.${name('changes')}`;
    const columns = model.fields.map((field) => {
      const was = field.rules.writeOnly
        ? 'NULL'
        : dialect.expressions.inside(changes, [field.member, 'before'], kindOf(field));
      return `${was} AS ${name(field.column)}`;
    });
    const id = `${LAST}.${name('id')}`;
    const order = of === undefined ? `ORDER BY ${id} DESC` : `AND ${id} >= ${of} ORDER BY ${id}`;
    return (
      `FROM (SELECT ${columns.join(', ')} ` +
      `FROM ${table} AS ${LAST} WHERE ${ends(record)} ${order} ` +
      `LIMIT 1) AS ${STATE}`
    );
  }

  /** The lines with which the lives of a record ended. */
  function ends(record: string): string {
    return (
      `${LAST}.${name('model')} = ${text(model.name)} AND ` +
      `${LAST}.${name('record')} = ${record} AND ${LAST}.${name('action')} = ` +
      `'delete'`
    );
  }

  function compiled(condition: Condition, row: string, before: number): CompiledExpression {
    const expression = expressionOf(condition);
    if (expression === undefined) return { sql: '1 = 1', placeholderCount: 0, isConstant: true, values: () => [] };
    return compileExpression(expression, model, graph, dialect, { before, row });
  }

  /** The statements that tell the state of a record: while it is there, by its key; and afterwards. */
  const statesOf = memoizeByPermissions((permissions: Permissions) => {
    const restricted = [...new Set([...model.access.fields.keys()])].filter(
      (member) => permissions.sees(model, member) !== true,
    );
    const conditions: Condition[] = [
      permissions.may(model, 'read'),
      mayBoth(permissions, model, 'journal'),
      ...restricted.flatMap((member) => [
        permissions.sees(model, member),
        both(permissions.may(model, 'update'), permissions.sets(model, member)),
      ]),
    ];
    const flagsOver = (
      row: string,
      before = 1,
    ): { sql: string; values(evaluation: EvaluationContext): ReturnType<CompiledExpression['values']> } => {
      let placed = before;
      const all = conditions.map((condition) => {
        const one = compiled(condition, row, placed);
        placed += one.placeholderCount;
        return one;
      });
      const sql = all.map((one) => `CASE WHEN ${one.sql} THEN 1 ELSE 0 END`).join(', ');
      return { sql, values: (evaluation) => all.flatMap((one) => one.values(evaluation)) };
    };
    const [here, gone, ended] = [flagsOver(ROW), flagsOver(STATE), flagsOver(STATE, 2)];
    return {
      restricted,
      here: { sql: `SELECT ${here.sql} ${living} = ${placeholder(1)}`, values: here.values },
      gone: { sql: `SELECT ${gone.sql} ${deleted(placeholder(1))}`, values: gone.values },
      ended: { sql: `SELECT ${ended.sql} ${deleted(placeholder(1), placeholder(2))}`, values: ended.values },
    };
  });

  const written: Statement = {
    sql:
      `SELECT 1 FROM ${table} WHERE ${name('model')} = ${text(model.name)} ` +
      `AND ${name('record')} = ${placeholder(1)} ` +
      'LIMIT 1',
  };

  const earlier: Statement = {
    sql:
      `SELECT ${LAST}.${name('id')} FROM ${table} AS ${LAST} ` +
      `WHERE ${ends(placeholder(1))} ORDER BY ${LAST}.${name('id')} DESC ` +
      `LIMIT 1 OFFSET ${placeholder(2)}`,
  };

  async function stateOf({ caller, permissions }: Principal, key: Scalar, line?: string): Promise<State | undefined> {
    const { restricted, here, gone, ended } = statesOf(permissions);
    const evaluation = { now: runtime.now(), caller };
    const lived =
      line === undefined ? undefined : await store.first(ended, [String(key), line, ...ended.values(evaluation)]);
    const living = lived ?? (await store.first(here, [dialect.bind(model.key, key), ...here.values(evaluation)]));
    const row = living ?? (await store.first(gone, [String(key), ...gone.values(evaluation)]));
    if (row === undefined) {
      // Lines of a record that nobody saw go: those who may read all may read them.
      const all =
        mayBoth(permissions, model, 'journal') === true && (await store.first(written, [String(key)])) !== undefined;
      return all ? { isHere: false, read: true, journal: true, members: new Map() } : undefined;
    }
    const flag = (at: number): boolean => Number(row[at]) === 1;
    const members = restricted.map(
      (member, at) => [member, { sees: flag(2 + 2 * at), sets: flag(3 + 2 * at) }] as const,
    );
    const isHere = lived === undefined && living !== undefined;
    return { isHere, read: flag(0), journal: flag(1), members: new Map(members) };
  }

  /** Members that hold keys of records which not everybody may read. */
  const keysOf = memoizeByPermissions((permissions: Permissions) => {
    const guarded = (target: string) => {
      const other = modelOf(graph, target);
      const guard = permissions.may(other, 'read');
      return guard === true ? undefined : { other, statement: thereStatement(graph, other, dialect, guard) };
    };
    const members = [
      ...model.relations.map(({ field, target }) => [field.member, guarded(target)] as const),
      ...linkedOf(model).map(({ member, target }) => [member, guarded(target)] as const),
    ].flatMap(([member, target]) => (target === undefined ? [] : [[member, target] as const]));
    return new Map(members);
  });

  const known = new Set(journaledMembers(model));

  type Guarded = ReturnType<ReturnType<typeof keysOf>['get']> & object;

  return {
    condition: (permissions) => (before) => {
      const condition = mayBoth(permissions, model, 'journal');
      const here = compiled(condition, ROW, before);
      const gone = compiled(condition, STATE, before + here.placeholderCount);
      const record = `${table}.${name('record')}`;
      const mine = `${living} = ${dialect.expressions.keyOfText(kindOf(model.key), record)}`;
      const id = `${table}.${name('id')}`;
      const isOver =
        `EXISTS (SELECT 1 FROM ${table} AS ${LAST} ` + `WHERE ${ends(record)} AND ${LAST}.${name('id')} >= ${id})`;
      const sql =
        `(CASE WHEN ${isOver} THEN EXISTS (SELECT 1 ${deleted(record, id)} ` +
        `WHERE ${gone.sql}) ELSE EXISTS (SELECT 1 ${mine} AND ${here.sql}) END)`;
      return {
        sql,
        placeholderCount: here.placeholderCount + gone.placeholderCount,
        isConstant: here.isConstant && gone.isConstant,
        values: (evaluation) => [...here.values(evaluation), ...gone.values(evaluation)],
      };
    },

    stateOf,

    async lifeBefore(key, isHere) {
      // The last life of a record that is gone has an end of its own.
      const row = await store.first(earlier, [String(key), isHere ? 0 : 1]);
      return row === undefined ? '' : String(row[0]);
    },

    finisher(principal) {
      const { permissions, caller } = principal;
      const members = keysOf(permissions);
      const { restricted } = statesOf(permissions);
      return async (records) => {
        if (records === '') return records;
        const states = new Map<string, State | undefined>();
        const reachable = new Map<string, boolean>();
        const isKnown = async ({ other, statement }: Guarded, value: FieldValue): Promise<boolean> => {
          const read = canonical(
            other.key,
            typeof value === 'string' && other.key.type === 'integer' ? Number(value) : value,
          );
          if ('fault' in read) return false;
          const id = `${other.name} ${JSON.stringify(read.value)}`;
          if (!reachable.has(id)) {
            const bound = [dialect.bind(other.key, read.value), ...statement.values({ now: runtime.now(), caller })];
            reachable.set(id, (await store.first(statement, bound)) !== undefined);
          }
          return reachable.get(id)!;
        };
        /** A key, or keys, as far as they lead to records that may be known of. */
        const reached = async (target: Guarded, value: FieldValue): Promise<FieldValue> => {
          if (value === null) return null;
          if (!Array.isArray(value)) return (await isKnown(target, value)) ? value : null;
          const kept: FieldValue[] = [];
          for (const one of value as FieldValue[]) if (await isKnown(target, one)) kept.push(one);
          return kept;
        };
        const texts: string[] = [];
        for (const one of records.split(BETWEEN)) {
          await runtime.rest?.();
          const line = JSON.parse(one) as Line;
          if (line.changes !== undefined) {
            // A reader may have left out the record, or the line's id: then nothing can be told of what depends on it.
            const { id, record } = line;
            const life = hasLives(model) ? id : '';
            const of = record === undefined || life === undefined ? undefined : `${record} ${life}`;
            if (of !== undefined && restricted.length > 0 && !states.has(of))
              states.set(of, await stateOf(principal, keyOf(model, record!), life === '' ? undefined : life));
            line.changes = shownChanges(line.changes, known, restricted, of === undefined ? undefined : states.get(of));
            for (const [member, target] of members) {
              const change = line.changes[member];
              for (const side of ['before', 'after'] as const) {
                if (change?.[side] !== undefined) change[side] = await reached(target, change[side]);
              }
            }
          }
          texts.push(JSON.stringify(line));
        }
        return texts.join(BETWEEN);
      };
    },
  };
}

/** The values of members that are seen; of those that may only be set, the names. */
function shownChanges(
  changes: Changes,
  known: ReadonlySet<string>,
  restricted: readonly string[],
  state: State | undefined,
): Changes {
  const shown: Changes = {};
  for (const [member, change] of Object.entries(changes)) {
    // Who may see what the model has no more, nobody can tell.
    if (!known.has(member)) continue;
    const of = state?.members.get(member);
    if (of?.sees === true || !restricted.includes(member)) shown[member] = { ...change };
    else if (of?.sets === true) shown[member] = {};
  }
  return shown;
}

function keyOf({ key }: Model, text: string): Scalar {
  return key.type === 'integer' ? Number(text) : text;
}

/** A name of a model, which holds nothing that would have to be escaped. */
const text = (name: string): string => `'${name}'`;
