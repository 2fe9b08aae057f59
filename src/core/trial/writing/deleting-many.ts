import type { Answer, Fault } from '../answer.ts';
import { sameAs } from '../judge.ts';
import { dataOf } from './writing-cases.ts';
import type { WritingCases } from './writing-cases.ts';

export function deriveClear({ add, collection, make, model, has, read }: WritingCases): void {
  add('clear', 'without a condition nothing is deleted', {
    method: 'DELETE',
    path: collection,
    expect: { status: 400 },
  });
  const [one, other] = [make(), make()];
  const query = `?${model.key.member}={${one.kept}}`;
  const check = (answer: Answer): readonly Fault[] => sameAs('how many were deleted', 1, dataOf(answer).deleted);
  add(
    'clear',
    'what a condition chooses is deleted, and nothing else',
    one.steps,
    other.steps,
    { method: 'DELETE', path: collection + query, expect: { status: 200, check } },
    ...(has('read') ? [read(one.kept, { status: 404 }), read(other.kept, { status: 200 })] : []),
  );
}
