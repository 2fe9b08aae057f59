import { memoizeByPermissions } from '../../access/permissions.ts';
import type { Permissions } from '../../access/permissions.ts';
import { modelOf } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import type { FieldValue } from '../../model/scalar.ts';
import { labelOf, templateStatement } from '../../query/template-sql.ts';
import type { TemplateStatement } from '../../query/template-sql.ts';
import type { EndpointContext } from './context.ts';
import { keyInLine, keyMembers, recordIn } from './journal-line.ts';
import type { Line, LineChange } from './journal-line.ts';
import type { JournalSql } from './journal-sql.ts';
import { findState } from './journal-state.ts';

/** What a record of a model is called: one row by its key, none where it may not be read. */
interface Naming {
  readonly other: Model;
  readonly statement: TemplateStatement;
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

    async function own(line: Line): Promise<string | null | undefined> {
      const of = recordIn(model, line);
      return (
        of &&
        once(of.name, async () => {
          const found =
            of.key === undefined ? undefined : await findState(model, context, statements, principal, of.key, of.line);
          return typeof found?.row[0] === 'string' ? write(found.row[0]) : null;
        })
      );
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
      line.label = await own(line);
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
      const guard = permissions.may(other, 'read');
      made.set(
        target,
        (naming = { other, statement: templateStatement(labelOf(other), graph, other, dialect, guard) }),
      );
    }
    return naming;
  };
}
