import type { EndpointName } from '../../api/endpoints.ts';
import type { Model } from '../../model/model.ts';
import { relatedNames } from '../../model/related.ts';
import type { FieldValue } from '../../model/scalar.ts';
import { sortable } from '../../query/listable.ts';
import { isSettable } from '../../rules/schema.ts';
import type { Body, Expectation, Step } from '../case.ts';
import type { Making } from '../make.ts';
import { shownOf } from './model-cases.ts';
import type { ModelCases } from './model-cases.ts';

/** Every endpoint once, as it is meant to be used. */
export function deriveUsual(derivation: ModelCases, location: string): void {
  const { on, make, add, model, maker } = derivation;
  const whole = make();
  add('create', 'a record is made', whole.steps.slice(0, -1), {
    ...whole.steps.at(-1)!,
    expect: { status: 201, data: shownOf(model, whole.body), location: location },
  });
  if (on.read) {
    const made = make();
    add(
      'read',
      'a record is read back as it was made',
      made.steps,
      on.read(made.kept, { status: 200, data: shownOf(model, made.body) }),
    );
  }
  deriveList(derivation);
  for (const how of ['replace', 'update'] as const) {
    const step = on[how];
    if (!step) continue;
    const made = make();
    const other = maker.make(model, { given: keptBy(model, how, made.body) });
    const body = Object.fromEntries(
      Object.entries(other.body).filter(([member]) => isSettable(model.byMember.get(member)!, how)),
    );
    const title = how === 'replace' ? 'a record is replaced' : 'a record is changed';
    add(
      how,
      title,
      made.steps,
      // What it refers to alone: the other record itself would stand in the way of unique values.
      other.steps.slice(0, -1),
      step(made.kept, body, { status: 200, data: shownOf(model, body) }),
    );
  }
  if (on.delete) {
    const made = make();
    const gone = on.read ? [on.read(made.kept, { status: 404 })] : [];
    const again = on.delete(made.kept, { status: 404 });
    add(
      'delete',
      'a record is deleted, and is then gone',
      made.steps,
      on.delete(made.kept, { status: 204 }),
      gone,
      again,
    );
  }
}

/** What a change leaves as it was, so that what it brings goes together with that. */
function keptBy(model: Model, how: 'replace' | 'update', body: Body): Record<string, FieldValue> {
  const kept = model.fields.filter(
    (field) =>
      field !== model.key && field.refersTo === undefined && isSettable(field, 'create') && !isSettable(field, how),
  );
  // Two records may not be alike in all of a set.
  const isUnique = (field: (typeof kept)[number]): boolean =>
    model.unique.some((set) => set.at(-1) === field && set.every((one) => kept.includes(one)));
  return Object.fromEntries(
    kept
      .filter((field) => Object.hasOwn(body, field.member) && !isUnique(field))
      .map(({ member }) => [member, body[member] as FieldValue]),
  );
}

function deriveList({ on, make, add, model, graph }: ModelCases): void {
  if (!on.list) return;
  const made = make();
  const narrowed = on.list(`?${model.key.member}={${made.kept}}`, { status: 200, length: 1 });
  add('list', 'a record stands in the list', made.steps, narrowed);
  for (const member of sortable(model)) {
    add('list', `the list is sorted by ${member}`, on.list(`?sort=-${member}&limit=5`, { status: 200 }));
  }
  for (const relation of relatedNames(model)) {
    add('list', `${relation} can be included`, on.list(`?include=${relation}&limit=5`, { status: 200 }));
  }
  add('list', 'an unknown parameter is refused', on.list('?no_such_parameter=1', { status: 400 }));
  add('list', 'a limit of 0 is refused', on.list('?limit=0', { status: 400 }));
  const { most } = graph.service.paging;
  add('list', `a limit of ${most} is taken`, on.list(`?limit=${most}`, { status: 200 }));
  add('list', `a limit of ${most + 1} is refused`, on.list(`?limit=${most + 1}`, { status: 400 }));
}

export function deriveConditions({ on, make, add }: ModelCases): void {
  const { replace, update, delete: remove } = on;
  const writes: [EndpointName, ((made: Making, expect: Expectation) => Step) | undefined][] = [
    ['replace', replace ? ({ kept, body }, expect) => replace(kept, body, expect) : undefined],
    ['update', update ? ({ kept }, expect) => update(kept, {}, expect) : undefined],
    ['delete', remove ? ({ kept }, expect) => remove(kept, expect) : undefined],
  ];
  for (const [how, write] of writes) {
    if (write === undefined) continue;
    const [one, other] = [make(), make()];
    const silent = { ...write(one, { status: 428 }), ifMatch: undefined };
    add(how, 'a write that names no state is refused', one.steps, silent);
    const strange = { ...write(other, { status: 412 }), ifMatch: '"another"' };
    add(how, 'a write that names another state is refused', other.steps, strange);
  }
}
