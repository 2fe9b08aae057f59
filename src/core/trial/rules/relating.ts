import { modelOf } from '../../model/graph.ts';
import type { FieldValue } from '../../model/scalar.ts';
import type { Relation } from '../../model/relation.ts';
import { exampleValue } from '../../rules/examples.ts';
import { spoken } from '../../text/names.ts';
import { isKept } from '../case.ts';
import type { Expectation } from '../case.ts';
import { pathOf } from '../paths.ts';
import type { ModelCases } from './model-cases.ts';

export function deriveUnique({ model, make, maker, add }: ModelCases): void {
  for (const fields of model.unique) {
    const made = make();
    const repeated = Object.fromEntries(fields.map(({ member }) => [member, made.body[member]]));
    const own = Object.entries(repeated).filter(([, value]) => !isKept(value) && value !== undefined);
    const twin = maker.make(model, { given: Object.fromEntries(own) as Record<string, FieldValue>, unique: false });
    const body = { ...twin.body, ...repeated };
    const error = { rule: 'unique', pointer: `/${fields.at(-1)!.member}` };
    const last = { ...twin.steps.at(-1)!, body, expect: { status: 409, error }, keep: undefined };
    const names = fields.map(({ member }) => member).join(' and ');
    add('create', `a second record with the same ${names} is refused`, made.steps, twin.steps.slice(0, -1), last);
  }
}

export function deriveRelations(derivation: ModelCases): void {
  const { model, make, turn, add } = derivation;
  for (const relation of model.relations) {
    const { field, target } = relation;
    const made = make();
    const missing = exampleValue({ ...field, rules: { ...field.rules, required: true } }, 900_000 + turn(), []);
    const body = { ...made.body, [field.member]: missing };
    const error = { rule: 'unknown-record', pointer: `/${field.member}` };
    add('create', `${field.member} of no ${spoken(target)} is refused`, made.steps.slice(0, -1), {
      ...made.steps.at(-1)!,
      body,
      expect: { status: 422, error },
      keep: undefined,
    });
    deleteOfTarget(derivation, relation);
  }
}

/** What becomes of this model's record when the record that it refers to is deleted. */
function deleteOfTarget({ graph, make, on, add }: ModelCases, { field, target, onDelete }: Relation): void {
  const other = modelOf(graph, target);
  const reference = make();
  const kept = reference.body[field.member];
  if (!other.endpoints.has('delete') || !on.read || !isKept(kept)) return;
  const path = `${pathOf(graph, other)}/{${kept.kept}}`;
  const gone = onDelete === 'restrict' ? 409 : 204;
  const after: Expectation =
    onDelete === 'cascade'
      ? { status: 404 }
      : { status: 200, data: { [field.member]: onDelete === 'clear' ? null : kept } };
  const outcome = { restrict: 'refused', cascade: 'takes it along', clear: 'clears the reference' }[onDelete];
  add('delete', `deleting its ${spoken(target)} (${field.member}): ${outcome}`, reference.steps, [
    { method: 'DELETE', path, ifMatch: other.conditional ? '*' : undefined, expect: { status: gone } },
    on.read(reference.kept, after),
  ]);
}
