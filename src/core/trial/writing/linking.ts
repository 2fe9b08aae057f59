import type { Model } from '../../model/model.ts';
import type { Answer, Fault } from '../answer.ts';
import type { Body } from '../case.ts';
import { sameAs } from '../judge.ts';
import { dataOf } from './writing-cases.ts';
import type { WritingCases } from './writing-cases.ts';

export function deriveLinks(
  { maker, has, make, add, read, at, ifMatch }: WritingCases,
  member: string,
  target: Model,
): void {
  if (maker.obstacle(target) !== undefined || !has('read')) return;
  const [made, one, other] = [make(), maker.make(target), maker.make(target)];
  const last = made.steps.at(-1)!;
  const linked = (...kept: string[]): Body => ({ [member]: kept.map((name) => ({ kept: name })) });
  const shows =
    (...names: string[]) =>
    (answer: Answer, kept: ReadonlyMap<string, unknown>): readonly Fault[] =>
      sameAs(
        member,
        names.map((name) => String(kept.get(name))).sort(),
        (dataOf(answer)[member] as unknown[]).map(String).sort(),
      );
  add(
    'create',
    `${member} links a record with others`,
    made.steps.slice(0, -1),
    one.steps,
    other.steps,
    { ...last, body: { ...made.body, ...linked(one.kept, other.kept) } },
    read(made.kept, { status: 200, check: shows(one.kept, other.kept) }),
  );
  if (has('update'))
    add(
      'update',
      `${member} that are named are all that a record is linked with`,
      made.steps.slice(0, -1),
      one.steps,
      other.steps,
      { ...last, body: { ...made.body, ...linked(one.kept) } },
      {
        method: 'PATCH',
        path: at(made.kept),
        body: linked(other.kept),
        ifMatch,
        expect: { status: 200, check: shows(other.kept) },
      },
    );
}
