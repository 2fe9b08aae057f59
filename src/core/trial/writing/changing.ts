import { isNeeded, isSettable } from '../../rules/schema.ts';
import type { Answer, Fault } from '../answer.ts';
import type { Body, Expectation, Step } from '../case.ts';
import { faultOf } from '../judge.ts';
import type { Making } from '../make.ts';
import { changeOf } from './writing-cases.ts';
import type { WritingCases } from './writing-cases.ts';

/** Answers and states of records have tags, which conditions name. */
export function deriveStates(derivation: WritingCases): void {
  const { make, read, add, has } = derivation;
  const made = make();
  const tag = read(made.kept, { status: 200 }, { keep: { name: 'tag', header: 'etag' } });
  add(
    'read',
    'an answer that is known already is not sent again',
    made.steps,
    tag,
    read(made.kept, { status: 304 }, { headers: { 'if-none-match': '{tag}' } }),
  );
  if (has('update')) deriveChanges(derivation);
  if (has('replace')) deriveReplaced(derivation);
}

function deriveChanges(derivation: WritingCases): void {
  const { make, read, add, at, model, ifMatch } = derivation;
  const [fresh, stale, before, patched] = [make(), make(), make(), make()];
  const [first, second, third, fourth] = [fresh, stale, before, patched].map((made) => changeOf(derivation, made));
  if (first === undefined || second === undefined || third === undefined || fourth === undefined) return;
  const tagOf = ({ kept }: Making): Step => read(kept, { status: 200 }, { keep: { name: 'tag', header: 'etag' } });
  const patch = ({ kept }: Making, body: Body, expect: Expectation, headers: Record<string, string>): Step => ({
    method: 'PATCH',
    path: at(kept),
    body,
    headers,
    expect,
  });
  add(
    'update',
    'a record that is as it was read is changed',
    fresh.steps,
    tagOf(fresh),
    patch(fresh, first, { status: 200 }, { 'if-match': '{tag}' }),
  );
  const isNew = (answer: Answer, kept: ReadonlyMap<string, unknown>): readonly Fault[] =>
    answer.headers.etag === kept.get('tag') ? [faultOf('the ETag', 'another one', answer.headers.etag)] : [];
  add(
    'update',
    'a record that has changed since it was read is not',
    stale.steps,
    tagOf(stale),
    patch(stale, second, { status: 200, check: isNew }, { 'if-match': '*' }),
    patch(stale, second, { status: 412 }, { 'if-match': '{tag}' }),
  );
  const others = Object.fromEntries(
    Object.entries(before.body).filter(([member]) => !Object.hasOwn(third, member) && model.shownByMember.has(member)),
  );
  add(
    'update',
    'what a change does not name stays',
    before.steps,
    patch(before, third, { status: 200, data: others }, { 'if-match': '*' }),
  );
  const [member, value] = Object.entries(fourth)[0]!;
  add('update', 'a JSON Patch changes a member', patched.steps, {
    method: 'PATCH',
    path: at(patched.kept),
    body: [{ op: 'add', path: `/${member}`, value }] as unknown as Body,
    type: 'application/json-patch+json',
    ifMatch,
    expect: { status: 200, data: fourth },
  });
}

/** What is left out of a replacement goes to its default, or to null. */
function deriveReplaced({ make, model, add, at, ifMatch }: WritingCases): void {
  const made = make();
  const settable = model.fields.filter((field) => isSettable(field, 'replace') && !field.rules.writeOnly);
  const body = Object.fromEntries(
    settable
      .filter((field) => isNeeded(field, 'create', model))
      .flatMap(({ member }) => (Object.hasOwn(made.body, member) ? [[member, made.body[member]]] : [])),
  );
  const plain = settable.filter(
    ({ member, derivedFrom, origin, drawnOn, rules }) =>
      !Object.hasOwn(body, member) &&
      derivedFrom === undefined &&
      origin === 'field' &&
      drawnOn !== true &&
      (!rules.hasDefault || rules.default !== undefined),
  );
  const data = Object.fromEntries(plain.map(({ member, rules }) => [member, rules.default ?? null]));
  if (Object.keys(data).length === 0) return;
  add('replace', 'what a replacement leaves out goes to its default, or to null', made.steps, {
    method: 'PUT',
    path: at(made.kept),
    body,
    ifMatch,
    expect: { status: 200, data },
  });
}

export function deriveMissing({ model, add, collection }: WritingCases): void {
  const key =
    model.keyKind === 'serial'
      ? '999999999'
      : model.keyKind === 'uuid'
        ? '00000000-0000-4000-8000-00000000dead'
        : undefined;
  if (key !== undefined)
    add('read', 'there is no record with another key', {
      method: 'GET',
      path: `${collection}/${key}`,
      expect: { status: 404 },
    });
  if (model.keyKind === 'uuid')
    add('read', 'what can not be a key is none', {
      method: 'GET',
      path: `${collection}/not-a-key`,
      expect: { status: 404 },
    });
}
