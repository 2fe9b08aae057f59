import type { Verb } from '../../model/access.ts';
import type { Graph } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import type { Case, Step } from '../case.ts';
import type { Oracle } from '../oracle/grants.ts';
import type { Row } from '../oracle/world-state.ts';
import type { Expectations } from '../statuses.ts';
import type { Person, World } from '../world.ts';

/** What the cases of who may do what are derived with. */
export interface AccessCases {
  readonly says: Expectations;
  readonly model: Model;
  readonly graph: Graph;
  readonly add: (endpoint: Case['endpoint'], title: string, ...steps: Step[]) => void;
  readonly named: (person: Person) => string;
  readonly world: World;
  readonly oracle: Oracle;
  readonly cases: Case[];
}

export function describeRow({ model, oracle }: AccessCases, row: Row, { caller }: Person): string {
  if (caller === null || model.owner === undefined) return 'one';
  return oracle.holds([{ kind: 'owner' }], model, row, caller) ? 'their own' : "another's";
}

/** `tor (walker)` */
export function describeCaller({ name, caller }: Person): string {
  return caller!.roles.length === 0 ? name : `${name} (${caller!.roles.join(', ')})`;
}

/** A record of each kind: those that this caller may read, change, delete, and sees all of, or not. */
export function rowsFor({ world, model, oracle, says }: AccessCases, who: Person): Row[] {
  const kinds = new Map<string, Row>();
  for (const row of world.rowsOf(model)) {
    const hidden = [...model.access.fields.keys()].map((member) => oracle.sees(model, member, row, who.caller));
    const kind = [...VERBS.map((verb) => says.expected(model, verb, row, who)), ...hidden].join();
    if (!kinds.has(kind)) kinds.set(kind, row);
  }
  return [...kinds.values()].slice(0, MOST_ROWS);
}

/** Records that are asked for one by one, of each kind that grants tell apart. */
export const MOST_ROWS = 4;

export const VERBS: readonly Verb[] = ['read', 'update', 'replace', 'delete', 'journal'];
