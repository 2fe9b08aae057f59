import type { ProblemName } from '../../api/problems.ts';
import { problemTypes } from '../../api/problems.ts';
import type { Model } from '../../model/model.ts';
import type { Grant } from '../../model/access.ts';
import type { Oracle, Who } from './grants.ts';
import type { Broken } from './read-value.ts';

/** Thrown where a request is refused: the problem, and the failures that it must name. */
export class Refusal extends Error {
  readonly status: number;
  readonly problem: ProblemName;
  /** Undefined where they are not predicted. */
  readonly errors: readonly Broken[] | undefined;
  /** One of the failures is enough, where the database chooses which it reports. */
  readonly one: boolean;

  constructor(problem: ProblemName, errors?: readonly Broken[], one = false) {
    super(problem);
    this.problem = problem;
    this.status = problemTypes[problem].status;
    this.errors = errors;
    this.one = one;
  }
}

/** Thrown where nothing can be predicted, with the reason. */
export class Unsure extends Error {}

export const brokenRules = (errors: readonly Broken[]): Refusal => new Refusal('invalid-body', errors);

/** Refuses what such a caller can do with no record. */
export function authorize(oracle: Oracle, grants: readonly Grant[], model: Model, who: Who): void {
  if (!oracle.could(grants, model, who)) throw isStranger(oracle, who) ? signIn() : new Refusal('not-allowed');
}

/** A record that is not there, or that nobody may tell them of. */
export function unknownRecord(oracle: Oracle, model: Model, who: Who): Refusal {
  const grants = model.access.verbs.read;
  return !oracle.always(grants, model, who) && oracle.helps(grants, model, who) ? signIn() : new Refusal('not-found');
}

/** What somebody may not do with a record that they may read. */
export const refusedOn = (oracle: Oracle, grants: readonly Grant[], model: Model, who: Who): Refusal =>
  oracle.helps(grants, model, who) ? signIn() : new Refusal('not-allowed');

export const signIn = (): Refusal => new Refusal('sign-in-required');

export const isStranger = (oracle: Oracle, who: Who): boolean => who === null && oracle.hasIdentity;
