import type { Field } from '../../model/field.ts';
import type { FieldValue } from '../../model/scalar.ts';
import { exampleValue } from '../../rules/examples.ts';
import { isNeeded, isSettable } from '../../rules/schema.ts';
import type { Answer, Fault } from '../answer.ts';
import type { Body, Expectation, Step } from '../case.ts';
import { edgesOf } from '../edges.ts';
import { faultOf } from '../judge.ts';
import type { Making } from '../make.ts';
import { shownOf } from './model-cases.ts';
import type { ModelCases } from './model-cases.ts';

export function deriveRules(derivation: ModelCases): void {
  const { make, add, model, turn, on, maker } = derivation;
  const refused = (body: Body, made: Making, expect: Expectation): Step[] => [
    ...made.steps.slice(0, -1),
    { ...made.steps.at(-1)!, body, expect, keep: undefined },
  ];
  const broken = (rule: string, member: string): Expectation => ({
    status: 422,
    error: { rule, pointer: `/${member}` },
  });

  const strange = make();
  const unknown = { ...strange.body, no_such_member: 1 };
  add(
    'create',
    'a member that nobody declared is refused',
    refused(unknown, strange, broken('unknown', 'no_such_member')),
  );

  for (const field of model.fields) {
    const { member, rules } = field;
    if (!isSettable(field, 'create')) {
      const made = make();
      const value = exampleValue(field, turn(), []);
      add(
        'create',
        `${member} can not be set`,
        refused({ ...made.body, [member]: value }, made, broken('readOnly', member)),
      );
      continue;
    }
    if (isNeeded(field, 'create', model)) {
      const made = make();
      const { [member]: _left, ...rest } = made.body;
      add('create', `${member} left out is refused`, refused(rest, made, broken('required', member)));
    }
    if (rules.default !== undefined) {
      const made = maker.make(model, { without: [member] });
      const expect = { status: 201, data: shownOf(model, { ...made.body, [member]: rules.default }) };
      add('create', `${member} left out becomes its default`, refused(made.body, made, expect));
    }
    if (field.origin !== 'relation') edgeCases(derivation, field, refused, broken);
    changedCases(derivation, field, refused);
    if (rules.immutable && on.update && field !== model.parent?.field) {
      const made = make();
      const other = field.origin === 'relation' ? undefined : maker.example(model, field, turn() + 1);
      if (other === undefined || JSON.stringify(other) === JSON.stringify(made.body[member])) continue;
      const step = on.update(made.kept, { [member]: other }, broken('immutable', member));
      add('update', `${member} can not be changed`, made.steps, step);
    }
  }
}

/** What is done to a text before it is kept, and what is made of another one. */
function changedCases(
  { make, add }: ModelCases,
  field: Field,
  sent: (body: Body, made: Making, expect: Expectation) => Step[],
): void {
  const { member, rules, derivedFrom } = field;
  const made = make();
  const value = made.body[member];
  const taken = (given: string, kept: string): Step[] =>
    sent({ ...made.body, [member]: given }, made, { status: 201, data: { [member]: kept } });
  if (typeof value === 'string' && !rules.writeOnly) {
    if (rules.trim) add('create', `${member} is kept without blanks around it`, taken(`  ${value} `, value));
    if (rules.letters === 'lower' && value !== value.toUpperCase())
      add('create', `${member} is kept in lower case`, taken(value.toUpperCase(), value));
    if (rules.letters === 'upper' && value !== value.toLowerCase())
      add('create', `${member} is kept in upper case`, taken(value.toLowerCase(), value));
  }
  if (derivedFrom === undefined) return;
  const { [member]: _given, ...rest } = made.body;
  const check = ({ body }: Answer): readonly Fault[] => {
    const found = (body as { data?: Record<string, unknown> }).data?.[member];
    return typeof found === 'string' && /^[a-z0-9]+(-[a-z0-9]+)*$/.test(found)
      ? []
      : [faultOf(member, `a slug of ${derivedFrom}`, found)];
  };
  add('create', `${member} left out is made from ${derivedFrom}`, sent(rest, made, { status: 201, check }));
}

/** A record that breaks a rule across fields, and no other, is refused at the place that the rule names. */
export function deriveAcross({ model, maker, add }: ModelCases): void {
  for (const rule of model.rules) {
    const { at, message } = rule;
    const made = maker.make(model, { broken: rule });
    const expect: Expectation = { status: 422, error: { rule: 'check', pointer: at === undefined ? '' : `/${at}` } };
    const last = { ...made.steps.at(-1)!, expect, keep: undefined };
    add('create', `a record of which it is false that ${message}: refused`, made.steps.slice(0, -1), last);
  }
}

function edgeCases(
  { turn, skip, make, model, maker, add }: ModelCases,
  field: Field,
  sent: (body: Body, made: Making, expect: Expectation) => Step[],
  broken: (rule: string, member: string) => Expectation,
): void {
  const { member } = field;
  const { edges, missing } = edgesOf(field, turn);
  for (const { rule, why } of missing) skip(`${member} past its ${rule}`, why);
  for (const { rule, value, passes, title, at = '' } of edges) {
    // A slug that is left out is derived: there is no null to see.
    if (passes && value === null && field.derivedFrom !== undefined) continue;
    const made = passes ? maker.make(model, { given: { [member]: value as FieldValue } }) : make();
    const expect = passes ? { status: 201, data: shownOf(model, { [member]: value }) } : broken(rule, member + at);
    const body = { ...made.body, [member]: value };
    add('create', `${member} ${title}: ${passes ? 'taken' : 'refused'}`, sent(body, made, expect));
  }
}
