import { pointerTo } from '../api/failure.ts';
import type { Failure } from '../api/failure.ts';
import { evaluate } from '../expression/evaluate.ts';
import { needs } from '../model/expression.ts';
import type { Field } from '../model/field.ts';
import type { MadeDefault } from '../model/model.ts';
import { valueReader } from '../rules/schema.ts';
import type { Values } from '../rules/schema.ts';
import { draftValues } from './draft-statement.ts';
import type { ModelWriting } from './model-writing.ts';
import { evaluationOf } from './unit-of-work.ts';
import type { UnitOfWork } from './unit-of-work.ts';
import { withoutMembers } from './wrong-members.ts';

/** Works out what absent members of a new record become, from its other values and from related records. */
export interface MadeDefaults {
  /** The members that are to be worked out, because they are not given. */
  open(given: Values): ReadonlySet<string>;
  /**
   * Sets them, but for those that need one of the `unknown` members. Along a relation to a record that the client may
   * not read, nothing may be worked out: its values would show in what is refused.
   */
  fill(work: UnitOfWork, values: Values, given: Values, unknown?: ReadonlySet<string>): Promise<Made>;
}

export interface Made {
  /** Of values that break a rule of their field. */
  readonly failures: readonly Failure[];
  /** The members that could not be worked out. */
  readonly left: ReadonlySet<string>;
}

const NONE: ReadonlySet<string> = new Set();

export function madeDefaults({ model, writing: { graph, dialect } }: ModelWriting): MadeDefaults {
  const all = model.madeDefaults;
  const readers = new Map(all.map(({ field }) => [field, valueReader(field, pointerTo(field.member))]));
  const steps = [...new Set(all.map(({ step }) => step))].map((step) => {
    const now = all.filter((one) => one.step === step);
    const along = now.filter(({ ownValues }) => !ownValues);
    return { now, statement: along.length === 0 ? undefined : draftValues(graph, model, along, dialect) };
  });
  return {
    open: (given) =>
      all.length === 0 ? NONE : new Set(all.flatMap(({ field }) => (isOpen(field, given) ? [field.member] : []))),

    async fill(work, values, given, unknown = NONE) {
      const failures: Failure[] = [];
      const lost = new Set(unknown);
      for (const { now, statement } of steps) {
        const asked = now.filter(({ field }) => isOpen(field, given) && !unknown.has(field.member));
        const sure = asked.filter(({ value }) => !needs(value, lost));
        for (const { field } of asked.filter((one) => !sure.includes(one))) lost.add(field.member);
        const known = withoutMembers(values, lost);
        const found = sure.some(({ ownValues }) => !ownValues) ? await statement!.read(work, known) : {};
        for (const one of sure) {
          const { member, derivedFrom } = one.field;
          const value = valueOf(one, known, found, work);
          if (derivedFrom !== undefined) {
            // The text that its slug is made of.
            values[member] = value;
            continue;
          }
          const made = readers.get(one.field)!(value);
          values[member] = made.value;
          failures.push(...made.failures.map(explained));
          if (made.failures.length > 0) lost.add(member);
        }
      }
      return { failures, left: new Set([...lost].filter((member) => !unknown.has(member))) };
    },
  };
}

/** A slug is made where there is none; anything else where nothing is given. */
const isOpen = ({ member, derivedFrom }: Field, given: Values): boolean =>
  given[member] === undefined || (derivedFrom !== undefined && given[member] === null);

const valueOf = ({ field, value, ownValues }: MadeDefault, values: Values, found: Values, work: UnitOfWork) =>
  ownValues ? evaluate(value, { values, ...evaluationOf(work) }) : (found[field.member] ?? null);

/** The client gave no such value: it is told where it comes from. */
const explained = (failure: Failure): Failure =>
  failure.rule === 'required'
    ? { ...failure, detail: 'can not be worked out from other values; give one' }
    : { ...failure, detail: `${failure.detail}, which the value worked out from others is not; give one` };
