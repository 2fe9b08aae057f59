import { randomInt } from 'node:crypto';
import { modelOf } from '../../core/model/graph.ts';
import { generateRecords, NothingToReferTo } from '../../core/samples/generate.ts';
import type { Store } from '../../core/store/contract.ts';
import { EXIT, Failure } from '../../project/failure.ts';
import { runtime } from '../../project/project.ts';
import { writesOn } from '../../project/serve.ts';
import type { Context } from '../command.ts';
import type { LoadedProject } from '../load-project.ts';
import { grouped } from '../terminal/terminal.ts';

const MOST_RANDOM = 1_000_000;

/** Makes up records, and says how to make the same ones again. */
export async function generate(
  { terminal }: Context,
  { graph, loaded }: LoadedProject,
  store: Store,
  asked: { model: string; count: number; random?: number },
): Promise<number> {
  const model = modelOf(graph, asked.model);
  const random = asked.random ?? randomInt(MOST_RANDOM);
  const onProgress = (made: number): void =>
    terminal.progress(`making ${model.plural}: ${grouped(made)} of ${grouped(asked.count)}`);
  try {
    const { made, stopped, secret } = await generateRecords(
      graph,
      store,
      runtime,
      (own) => writesOn(graph, store, loaded, own),
      {
        model,
        count: asked.count,
        random,
        onProgress,
      },
    );
    terminal.progress('');
    terminal.value({ model: model.name, made, random, stopped, secret });
    terminal.show(`made ${grouped(made)} ${made === 1 ? model.name : model.plural}`);
    if (secret !== undefined) terminal.say(`each has the secret ${secret}`);
    if (asked.random === undefined) terminal.say(`--random ${random} makes the same again, from the same database`);
    if (stopped === undefined) return EXIT.done;
    terminal.warn(`${terminal.tint.yellow('stopped')} short of ${grouped(asked.count)}: ${stopped}`);
    return EXIT.foundWrong;
  } catch (error) {
    if (!(error instanceof NothingToReferTo)) throw error;
    throw new Failure(EXIT.foundWrong, error.message, 'load some with vantfell seed, or generate them first');
  }
}
