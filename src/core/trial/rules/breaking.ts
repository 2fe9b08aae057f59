import type { Field } from '../../model/field.ts';
import { exampleValue } from '../../rules/examples.ts';
import { isNeeded, isSettable } from '../../rules/schema.ts';
import type { Answer, Fault } from '../answer.ts';
import type { Body, Expectation, Step } from '../case.ts';
import { edgesOf } from '../edges.ts';
import { faultOf } from '../judge.ts';
import { isFalse, keepsRules, valuesOf } from '../keeps-rules.ts';
import { TRIES } from '../make.ts';
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
      const made = make();
      const { [member]: _left, ...rest } = made.body;
      const expect = { status: 201, data: shownOf(model, { ...rest, [member]: rules.default }) };
      add('create', `${member} left out becomes its default`, refused(rest, made, expect));
    }
    if (field.origin !== 'relation') edgeCases(derivation, field, refused, broken);
    changedCases(derivation, field, refused);
    if (rules.immutable && on.update && field !== model.parent?.field) {
      const made = make();
      const other = maker.example(model, field, turn() + 1);
      if (other === undefined || other === made.body[member] || field.origin === 'relation') continue;
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

/** A record whose own values break a rule across fields is refused, at the place that the rule names. */
export function deriveAcross(derivation: ModelCases): void {
  const { model, make, now, skip, add } = derivation;
  for (const { check, ownValues, at, message } of model.rules) {
    if (!ownValues) continue;
    const title = `a record of which it is false that ${message}`;
    const breaking = (): Making | undefined => {
      for (let tried = 0; tried < 10 * TRIES; tried += 1) {
        const one = make();
        const body = { ...one.body, ...strayValues(derivation, one.body, tried) };
        if (isFalse(check, valuesOf(model, body), now)) return { ...one, body };
      }
      return undefined;
    };
    const made = breaking();
    if (made === undefined) {
      skip(title, 'no record that breaks this rule could be made up');
      continue;
    }
    const expect: Expectation = { status: 422, error: { rule: 'check', pointer: at === undefined ? '' : `/${at}` } };
    add('create', `${title}: refused`, made.steps.slice(0, -1), {
      ...made.steps.at(-1)!,
      body: made.body,
      expect,
      keep: undefined,
    });
  }
}

/** Values of the model's own fields that need not go together; every other time two relations lead to one record. */
function strayValues({ model, maker }: ModelCases, body: Body, tried: number): Body {
  const values = model.fields.flatMap((field): [string, unknown][] => {
    const isOwn = isSettable(field, 'create') && field.refersTo === undefined && field.type !== 'secret';
    const at = (tried * 7_919 + field.member.length * 104_729) % 10_007;
    const value = isOwn ? maker.example(model, field, at) : undefined;
    return value === undefined ? [] : [[field.member, value]];
  });
  const references = model.relations.filter(({ field }) => body[field.member] !== undefined);
  const twins = references.flatMap(({ field, target }, at): [string, unknown][] => {
    const first = references.findIndex((one) => one.target === target);
    return first === at || tried % 2 === 0 ? [] : [[field.member, body[references[first]!.field.member]]];
  });
  return Object.fromEntries([...values, ...twins]);
}

function edgeCases(
  { turn, skip, make, model, now, add }: ModelCases,
  field: Field,
  sent: (body: Body, made: Making, expect: Expectation) => Step[],
  broken: (rule: string, member: string) => Expectation,
): void {
  const { member } = field;
  const { edges, missing } = edgesOf(field, turn);
  for (const { rule, why } of missing) skip(`${member} past its ${rule}`, why);
  for (const { rule, value, passes, title } of edges) {
    // A slug that is left out is derived: there is no null to see.
    if (passes && value === null && field.derivedFrom !== undefined) continue;
    let made = make();
    const bodyOf = (): Body => ({ ...made.body, [member]: value });
    for (let tried = 1; passes && tried < TRIES && !keepsRules(model, bodyOf(), now); tried += 1) made = make();
    const body = bodyOf();
    if (passes && !keepsRules(model, body, now)) {
      skip(`${member} ${title}`, 'no record with this value could be made up that keeps the rules across fields');
      continue;
    }
    const expect = passes ? { status: 201, data: shownOf(model, { [member]: value }) } : broken(rule, member);
    add('create', `${member} ${title}: ${passes ? 'taken' : 'refused'}`, sent(body, made, expect));
  }
}
