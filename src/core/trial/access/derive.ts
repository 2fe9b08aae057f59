import type { Model } from '../../model/model.ts';
import type { Case, Step } from '../case.ts';
import { expectations } from '../statuses.ts';
import type { Expectations } from '../statuses.ts';
import type { Person, World } from '../world.ts';
import { describeCaller, rowsFor, VERBS } from './access-cases.ts';
import type { AccessCases } from './access-cases.ts';
import { deriveList } from './reading-lists.ts';
import { deriveHistory, deriveRecord } from './reading-records.ts';
import { deriveDeletingMany, deriveMaking, deriveOperations, deriveSetting } from './writing-records.ts';

/**
 * Every kind of caller at every endpoint of a model: the status that `may` says, and not a record or a member too
 * many.
 */
export function deriveAccess(world: World, model: Model): Case[] {
  const { graph, oracle } = world;
  if (graph.identity === undefined) return [];
  const cases: Case[] = [];
  const says = expectations(world);
  const people = callersOf(world, model, says);
  const add = (endpoint: Case['endpoint'], title: string, ...steps: Step[]): void =>
    void cases.push({ model: model.name, endpoint, title, steps });
  const named = (person: Person): string => (person.caller === null ? 'nobody' : describeCaller(person));

  const derivation: AccessCases = { says, model, graph, add, named, world, oracle, cases };
  for (const who of people) {
    const as = who.name;
    if (model.endpoints.has('list')) deriveList(derivation, who, as);
    for (const row of rowsFor(derivation, who)) deriveRecord(derivation, who, as, row);
    deriveMaking(derivation, who, as);
    deriveDeletingMany(derivation, who, as);
    deriveHistory(derivation, who, as);
    deriveSetting(derivation, who, as);
    deriveOperations(derivation, who, as);
  }
  return cases;
}

/** So many callers are enough to meet all that grants tell apart, in most models. */
const MOST_CALLERS = 6;

/** Nobody, one caller of each set of roles, and callers who get an answer that none of these gets. */
function callersOf({ people, rowsOf }: World, model: Model, says: Expectations): Person[] {
  const meets = (person: Person): string[] => [
    ...new Set(rowsOf(model).map((row) => VERBS.map((verb) => says.expected(model, verb, row, person)).join())),
  ];
  const chosen = new Map<string, Person>();
  for (const person of people) {
    const kind = person.caller === null ? 'nobody' : [...person.caller.roles].sort().join();
    if (!chosen.has(kind)) chosen.set(kind, person);
  }
  const met = new Set([...chosen.values()].flatMap(meets));
  const all = [...chosen.values()];
  for (const person of people) {
    if (all.length >= MOST_CALLERS || person.caller === null || all.includes(person)) continue;
    const kinds = meets(person);
    if (!kinds.some((kind) => !met.has(kind))) continue;
    kinds.forEach((kind) => met.add(kind));
    all.push(person);
  }
  return all;
}
