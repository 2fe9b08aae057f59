import { brokenRules, HttpProblem } from '../api/problems.ts';
import type { Scalar } from '../model/scalar.ts';
import type { Values } from '../rules/schema.ts';
import type { Row } from '../sql/statement.ts';
import { pointerOfDraw, Shortage } from './draws.ts';
import type { Share } from './draws.ts';
import { messageTemplate } from './message-template.ts';
import type { ModelWriting } from './model-writing.ts';
import { evaluationOf } from './unit-of-work.ts';
import type { UnitOfWork } from './unit-of-work.ts';

/** Moves the stock that a record draws on, from its shares `before` to those of its new values. */
export type MoveStock = (
  work: UnitOfWork,
  before: readonly Share[],
  values: Values,
  write: () => Promise<Row | undefined>,
) => Promise<void>;

/**
 * Where too little stock is left, the record is written nevertheless, so that the model's own message can be read from
 * it. The transaction is rolled back with the problem.
 */
export function stockMover({ model, writing, draws }: ModelWriting): MoveStock {
  const { graph, dialect } = writing;
  const messages = model.draws.map(({ refuse }) => refuse && messageTemplate(refuse, graph, model, dialect));

  return async (work, before, values, write) => {
    if (draws.draws.length === 0) return;
    const evaluation = evaluationOf(work);
    const after = draws.sharesOf(values, evaluation);
    const failures = draws.failuresOf(after);
    if (failures.length > 0) throw brokenRules(failures);
    try {
      await draws.move(work, before, after);
    } catch (error) {
      if (!(error instanceof Shortage)) throw error;
      const { draw, available } = error;
      const message = messages[draws.draws.indexOf(draw)];
      const ownWords = async (): Promise<string> =>
        message!(work.transaction, (await write())![0] as Scalar, evaluation, { available });
      const plain = `only ${available} of ${draw.from}.${draw.field.member} left`;
      const detail = message === undefined ? plain : await ownWords().catch(() => plain);
      throw new HttpProblem('not-enough-left', undefined, {
        errors: [{ pointer: pointerOfDraw(draw), rule: 'draw', detail, available: Number(available) }],
      });
    }
  };
}
