import type { Answer, Fault } from '../../core/trial/answer.ts';
import { foreseenFaults } from '../../core/trial/foresee.ts';
import type { Predicted } from '../../core/trial/oracle/predict.ts';
import type { WorldState } from '../../core/trial/oracle/world-state.ts';
import type { Sent } from '../../core/trial/report/outcome.ts';

/** What requests in one order lead to: a world, which may be unknown, or answers that they can't have had. */
export type Followed = { readonly world: WorldState | undefined } | { readonly faults: Fault[] };

/** Finds an order of requests in which each has the answer that it got; otherwise what is wrong with one. */
export function followInSomeOrder(
  begun: WorldState,
  answered: readonly (readonly [Sent, Answer])[],
  predict: (sent: Sent, state: WorldState) => Predicted,
  /** What was learnt of an answer in an order that does not fit is no knowledge. */
  forget: (answer: Answer) => void,
): Followed {
  let first: Followed | undefined;
  for (const order of ordersOf(answered)) {
    const followed = follow(begun, order, predict);
    if ('world' in followed) return followed;
    first ??= followed;
    answered.forEach(([, answer]) => forget(answer));
  }
  return first ?? { world: begun };
}

function follow(
  begun: WorldState,
  order: readonly (readonly [Sent, Answer])[],
  predict: (sent: Sent, state: WorldState) => Predicted,
): Followed {
  let now: WorldState | undefined = begun;
  for (const [sent, answer] of order) {
    const predicted = predict(sent, now);
    if ('unsure' in predicted) {
      if (sent.method === 'GET') continue;
      return { world: undefined };
    }
    const faults = foreseenFaults(predicted, [], answer);
    if (faults.length > 0) return { faults: faults.map((one) => ({ ...one, what: `${one.what} of ${nameOf(sent)}` })) };
    if (answer.status < 400 && sent.method !== 'GET') now = predicted.after(answer);
    if (now === undefined) return { world: undefined };
  }
  return { world: now };
}

/** Tells a request from those that were sent with it. */
const nameOf = ({ method, path, as }: Sent): string => `${method} ${path} by ${as}, sent at once with others`;

/** All orders of a few things. */
function ordersOf<Item>(items: readonly Item[]): Item[][] {
  if (items.length < 2) return [[...items]];
  return items.flatMap((item, at) =>
    ordersOf([...items.slice(0, at), ...items.slice(at + 1)]).map((rest) => [item, ...rest]),
  );
}
