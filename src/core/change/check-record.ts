import { pointerTo } from '../api/failure.ts';
import type { Failure } from '../api/failure.ts';
import { brokenRules } from '../api/problems.ts';
import type { Relation } from '../model/relation.ts';
import type { FieldValue, Scalar } from '../model/scalar.ts';
import { isSame } from '../model/value.ts';
import type { Values } from '../rules/schema.ts';
import { spoken } from '../text/names.ts';
import { quoted } from '../text/value.ts';
import type { ModelWriting } from './model-writing.ts';
import { recordRules } from './record-rules.ts';
import type { RecordRules } from './record-rules.ts';
import type { LookUps } from './statements.ts';
import { evaluationOf } from './unit-of-work.ts';
import type { UnitOfWork } from './unit-of-work.ts';

/** The checks of a record that need more than one of its members, or the database. */
export interface RecordChecks {
  /**
   * Checks rules across fields that the record's own values decide, and that the records of new relations exist.
   * `given` are the members whose records must exist for this viewer; records that `before` refers to already do.
   */
  draft(work: UnitOfWork, values: Values, before: Values, look: LookUps, given?: Values): Promise<void>;
  /** The rules that the record's own values decide. */
  own(work: UnitOfWork, values: Values): Failure[];
  /** Relations to records that do not exist for this viewer. */
  unknownRecords(work: UnitOfWork, given: Values, before: Values, look: LookUps): Promise<Failure[]>;
  /** Relations and links, old ones left out, to records that do not exist for this viewer. */
  relatedFailures(work: UnitOfWork, values: Values, before: Values, look: LookUps): Promise<Failure[]>;
  /** What `draft` refuses, but for what needs one of the `unknown` members. */
  draftFailures(
    work: UnitOfWork,
    values: Values,
    before: Values,
    look: LookUps,
    given: Values,
    unknown?: ReadonlySet<string>,
  ): Promise<Failure[]>;
  /** The rules along relations that can be checked before the record is written. */
  onwardFailures: RecordRules['onwardFailures'];
  /** Checks the rules that need a query, once the record is written. */
  stored(work: UnitOfWork, key: Scalar): Promise<void>;
  /** Computed values that a body repeats, where they are no longer the same. */
  derived(work: UnitOfWork, key: Scalar, given: ReadonlyMap<string, unknown>, look: LookUps): Promise<Failure[]>;
  /** Required members that are null: a client may leave out hidden ones only. */
  missing(values: Values): Failure[];
}

export function recordChecks({ model, writing, links, bind }: ModelWriting): RecordChecks {
  const rules = recordRules(writing.graph, model, writing.dialect);
  const required = model.fields.filter((field) => field.rules.required && !field.rules.readOnly);

  /** One failure for each new relation whose record does not exist; one statement looks for all of them. */
  async function unknownRecords(work: UnitOfWork, given: Values, before: Values, look: LookUps): Promise<Failure[]> {
    const isNew = ({ field: { member } }: Relation): boolean =>
      (given[member] ?? null) !== null && given[member] !== before[member];
    if (!model.relations.some(isNew)) return [];
    const bound = model.relations.map((relation) =>
      bind(relation.field, isNew(relation) ? given[relation.field.member] : null),
    );
    const there = (await work.transaction.first(look.exist, [...bound, ...look.exist.values(evaluationOf(work))]))!;
    return model.relations.flatMap((relation, at) => {
      if (!isNew(relation) || Number(there[at]) !== 0) return [];
      const { field, target } = relation;
      const detail = `there is no ${spoken(target)} ${quoted(given[field.member])}`;
      return [{ pointer: pointerTo(field.member), rule: 'unknown-record', detail }];
    });
  }

  const relatedFailures: RecordChecks['relatedFailures'] = async (work, given, before, look) => {
    const failures = await unknownRecords(work, given, before, look);
    if (links.members.length > 0) failures.push(...(await links.failuresOf(work, given, before, look.linked)));
    return failures;
  };

  const draftFailures: RecordChecks['draftFailures'] = async (work, values, before, look, given, unknown) => [
    ...rules.ownFailures(values, evaluationOf(work), unknown),
    ...(await relatedFailures(work, given, before, look)),
  ];

  return {
    own: (work, values) => rules.ownFailures(values, evaluationOf(work)),
    unknownRecords,
    relatedFailures,
    draftFailures,
    onwardFailures: rules.onwardFailures,

    async draft(work, values, before, look, given = values) {
      const failures = await draftFailures(work, values, before, look, given);
      if (failures.length > 0) throw brokenRules(failures);
    },

    async stored(work, key) {
      const evaluation = evaluationOf(work);
      const failures: Failure[] = [];
      for (const { statement, values } of rules.locks) {
        await work.transaction.first(statement, [bind(model.key, key), ...values(evaluation)]);
      }
      for (const { statement, values, failure } of rules.stored) {
        const row = await work.transaction.first(statement, [bind(model.key, key), ...values(evaluation)]);
        const value = row?.[0] ?? null;
        if (value !== null && Number(value) === 0) failures.push(failure);
      }
      if (failures.length > 0) throw brokenRules(failures);
    },

    async derived(work, key, given, { readDerived }) {
      if (given.size === 0) return [];
      const bound = readDerived && [bind(model.key, key), ...readDerived.values(evaluationOf(work))];
      const row = readDerived && (await work.transaction.first(readDerived, bound!));
      const current = JSON.parse((row?.[0] ?? '{}') as string) as Values;
      return [...given]
        .filter(([member, value]) => !isSame(value as FieldValue, current[member] ?? null))
        .map(([member]) => ({
          pointer: pointerTo(member),
          rule: 'readOnly',
          detail: `is worked out from other values; leave it out, or send ${quoted(current[member] ?? null)}`,
        }));
    },

    missing: (values) =>
      required
        .filter(({ member }) => (values[member] ?? null) === null)
        .map(({ member }) => ({ pointer: pointerTo(member), rule: 'required', detail: 'must be given' })),
  };
}
