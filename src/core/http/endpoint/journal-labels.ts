import { memoizeByPermissions } from '../../access/permissions.ts';
import type { Permissions } from '../../access/permissions.ts';
import { hasLives } from '../../change/journal.ts';
import type { EvaluationContext } from '../../expression/context.ts';
import { modelOf } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import type { FieldValue } from '../../model/scalar.ts';
import { fromKey, guardSql } from '../../query/statements.ts';
import type { ProjectionStatement } from '../../query/statements.ts';
import { labelOf, templateSql } from '../../query/template-sql.ts';
import type { TemplateSql } from '../../query/template-sql.ts';
import { parametersOf } from '../../sql/parameters.ts';
import type { EndpointContext } from './context.ts';
import { keyInLine, keyMembers } from './journal-line.ts';
import type { LineChange } from './journal-line.ts';
import type { JournalSql } from './journal-sql.ts';
import { findState } from './journal-state.ts';

/** What a record of a model is called: one row by its key, none where it may not be read. */
interface Naming {
  readonly other: Model;
  readonly statement: ProjectionStatement & Pick<TemplateSql, 'write'>;
}

/**
 * Adds to the lines of a page what records are called: their own, whoever changed them, and those that a change led to;
 * null for what is gone or hidden from the reader. A deleted record is called what it was called last.
 */
export function lineLabels(
  model: Model,
  context: EndpointContext,
  { labelsOf }: Pick<JournalSql, 'labelsOf'>,
): LineChange {
  const { graph, store, runtime } = context;
  const namingsOf = memoizeByPermissions((permissions: Permissions) => namings(permissions, context));
  const caller = graph.identity?.model;
  const members = keyMembers(model);

  return (principal) => {
    const namingOf = namingsOf(principal.permissions);
    const { write, ...statements } = labelsOf(principal.permissions);
    const known = new Map<string, string | null>();

    async function once(name: string, find: () => Promise<string | null>): Promise<string | null> {
      let label = known.get(name);
      if (label === undefined) known.set(name, (label = await find()));
      return label;
    }

    /** Undefined where the reader has left out what says whose line it is. */
    function own(id: string | undefined, record: string | undefined): Promise<string | null | undefined> {
      const life = hasLives(model) ? id : '';
      if (record === undefined || life === undefined) return Promise.resolve(undefined);
      return once(JSON.stringify([record, life]), async () => {
        const key = keyInLine(model.key, record);
        const line = life === '' ? undefined : life;
        const found = key === undefined ? undefined : await findState(model, context, statements, principal, key, line);
        return typeof found?.row[0] === 'string' ? write(found.row[0]) : null;
      });
    }

    async function called(target: string, value: FieldValue | undefined): Promise<string | null> {
      const { other, statement } = namingOf(target);
      const key = keyInLine(other.key, value);
      if (key === undefined) return null;
      return once(JSON.stringify([target, null, key]), async () => {
        const evaluation = { now: runtime.now(), caller: principal.caller };
        const bound = [store.dialect.bind(other.key, key), ...statement.values(evaluation)];
        const row = await store.first(statement, bound);
        return row === undefined ? null : statement.write(row[0]);
      });
    }

    async function calledEach(target: string, value: FieldValue): Promise<FieldValue> {
      if (!Array.isArray(value)) return called(target, value);
      const labels: (string | null)[] = [];
      for (const one of value as FieldValue[]) labels.push(await called(target, one));
      return labels;
    }

    return async (line) => {
      line.label = await own(line.id, line.record);
      if (line.by !== undefined) line.by_label = caller === undefined ? null : await called(caller, line.by);
      for (const { member, target } of members) {
        const change = line.changes?.[member];
        if (change?.before !== undefined) change.before_label = await calledEach(target, change.before);
        if (change?.after !== undefined) change.after_label = await calledEach(target, change.after);
      }
    };
  };
}

/** How the records of other models are called, each worked out when it is first asked for. */
function namings(permissions: Permissions, { graph, store: { dialect } }: EndpointContext): (target: string) => Naming {
  const made = new Map<string, Naming>();
  return (target) => {
    let naming = made.get(target);
    if (naming === undefined) {
      const other = modelOf(graph, target);
      const parameters = parametersOf<EvaluationContext>(dialect, 1);
      const { values, write } = templateSql(labelOf(other), graph, other, dialect, parameters);
      const guard = guardSql(graph, other, permissions.may(other, 'read'), dialect, parameters);
      const sql = `SELECT ${values} ${fromKey(other, dialect)}${guard}`;
      made.set(target, (naming = { other, statement: { sql, values: parameters.values, write } }));
    }
    return naming;
  };
}
