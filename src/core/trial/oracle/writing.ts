import type { EvaluationContext } from '../../expression/context.ts';
import { ITSELF, oracleOf } from './grants.ts';
import type { Oracle, Who } from './grants.ts';
import type { WorldState } from './world-state.ts';

/** What a write works on: a world of its own, and who writes at what time. */
export interface Writing {
  readonly state: WorldState;
  readonly oracle: Oracle;
  readonly who: Who;
  readonly moment: EvaluationContext;
}

export function writingOn(state: WorldState, who: Who, now: Date): Writing {
  const caller = who === ITSELF ? null : who;
  return { state, oracle: oracleOf(state.graph, state, () => now), who, moment: { now, caller } };
}
