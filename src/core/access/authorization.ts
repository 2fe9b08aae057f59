import { HttpProblem } from '../api/problems.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { couldBeHeld, grantsOf } from './condition.ts';
import type { Act, Condition } from './condition.ts';
import type { Permissions } from './permissions.ts';

/** Tells a client how to sign in (RFC 6750). */
export const CHALLENGE = { 'www-authenticate': 'Bearer' } as const;

export const signInRequired = (detail = 'sign in, and send the token in the header Authorization'): HttpProblem =>
  new HttpProblem('sign-in-required', detail, { headers: CHALLENGE });

export const badToken = (detail: string): HttpProblem =>
  new HttpProblem('invalid-token', detail, {
    headers: { 'www-authenticate': `${CHALLENGE['www-authenticate']} error="invalid_token"` },
  });

export const tokenIsOver = (): HttpProblem => badToken('it is not one of this service, or is over; sign in again');

const isStranger = ({ graph, viewer }: Permissions): boolean =>
  viewer.kind === 'anonymous' && graph.identity !== undefined;

/** Refuses what no record can allow; returns the condition that records must meet. */
export function authorize(permissions: Permissions, model: Model, act: Act): Condition {
  const condition = permissions.may(model, act);
  if (condition !== false) return condition;
  throw isStranger(permissions) ? signInRequired() : notAllowed();
}

/** The same for an act on one record, which the caller must be able to read. */
export function authorizeRecord(permissions: Permissions, model: Model, act: Act): Condition {
  const condition = authorize(permissions, model, act);
  if (permissions.may(model, 'read') === false) throw unknownRecord(permissions, model);
  return condition;
}

/** A record that is missing or hidden: a caller cannot distinguish the two. */
export function unknownRecord(permissions: Permissions, model: Model): HttpProblem {
  const canHelp = permissions.may(model, 'read') !== true && mightBeHeld(permissions, permissions.graph, model, 'read');
  return canHelp ? signInRequired() : new HttpProblem('not-found');
}

/** The problem for a record that may be read, but not used in this way. */
export const refusedOn = (permissions: Permissions, model: Model, act: Act): HttpProblem =>
  mightBeHeld(permissions, permissions.graph, model, act) ? signInRequired() : notAllowed();

export const notAllowed = (detail?: string, pointer?: string): HttpProblem =>
  new HttpProblem(
    'not-allowed',
    detail,
    pointer === undefined ? {} : { errors: [{ pointer, rule: 'may', detail: detail ?? '' }] },
  );

const mightBeHeld = (permissions: Permissions, graph: Graph, model: Model, act: Act): boolean =>
  isStranger(permissions) && couldBeHeld(graph, model, grantsOf(model, act));
