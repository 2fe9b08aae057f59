import type { Permissions } from '../../access/permissions.ts';
import type { Principal } from '../../access/principal.ts';
import type { EvaluationContext } from '../../expression/context.ts';
import type { Model } from '../../model/model.ts';
import type { Scalar } from '../../model/scalar.ts';
import type { Binder } from '../../sql/parameters.ts';
import type { EndpointContext } from './context.ts';
import { lineLabels } from './journal-labels.ts';
import type { Line } from './journal-line.ts';
import { lineMask } from './journal-mask.ts';
import { journalSql } from './journal-sql.ts';
import { recordStates } from './journal-state.ts';
import type { StateOf } from './journal-state.ts';
import { BETWEEN } from './page-reply.ts';
import type { FinishRecords } from './page-reply.ts';

/** Who may read which lines of a model's journal, and what they see of them. */
export interface JournalLines {
  /** The SQL of the condition that the journal of a line's record may be read. */
  condition(permissions: Permissions, parameters: Binder<EvaluationContext>): string;
  readonly stateOf: StateOf;
  /** The id before all lines of a record's last life: the end of the life before it. */
  lifeBefore(key: Scalar, isHere: boolean): Promise<string>;
  /** Takes out of the JSON of lines what their reader may not see, and adds what records are called, where asked. */
  finisher(principal: Principal): FinishRecords;
}

export function journalLines(model: Model, journal: Model, context: EndpointContext): JournalLines {
  const { graph, store } = context;
  const sql = journalSql(model, journal, graph, store.dialect);

  const stateOf = recordStates(model, context, sql);
  const masking = lineMask(model, context, sql, stateOf);
  const labelling = lineLabels(model, context, sql);

  return {
    condition: sql.condition,
    stateOf,

    async lifeBefore(key, isHere) {
      // The last life of a record that is gone has an end of its own.
      const row = await store.first(sql.endOfLife, [String(key), isHere ? 0 : 1]);
      return row === undefined ? '' : String(row[0]);
    },

    finisher: (principal) => async (records, labels) => {
      if (records === '') return records;
      const mask = masking(principal);
      const label = labels ? labelling(principal) : undefined;
      const texts: string[] = [];
      for (const one of records.split(BETWEEN)) {
        await context.runtime.rest?.();
        const line = JSON.parse(one) as Line;
        await mask(line);
        await label?.(line);
        texts.push(JSON.stringify(line));
      }
      return texts.join(BETWEEN);
    },
  };
}
