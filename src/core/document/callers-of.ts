import { grantsOf } from '../access/condition.ts';
import type { Act } from '../access/condition.ts';
import { allowedText, grantsText } from '../access/grant-text.ts';
import type { Grant } from '../model/access.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { Documented } from './documented.ts';
import type { JsonSchema } from './json-schema.ts';
import { OPEN, requirement, securityOf, SIGNED_IN } from './security.ts';

/** Who may ask for something, in words and as the document's security says it. */
export interface CallersOf {
  readonly words: string;
  /** Nothing where nobody signs in. */
  readonly security: JsonSchema;
}

export function callersOf(doc: Documented, model: Model, act: Act): CallersOf {
  const { graph } = doc;
  const grants = grantsOf(model, act);
  const open =
    couldBeAnonymous(graph, model, grants) &&
    (act === 'create' || couldBeAnonymous(graph, model, grantsOf(model, 'read')));
  const ways = grants
    .filter(({ kind }) => !['anybody', 'where', 'maker'].includes(kind))
    .map((grant) => (grant.kind === 'signed-in' ? SIGNED_IN : requirement(grantsText(model, [grant]))));
  // Callers who have signed in may do what everybody may.
  const all = open ? [OPEN, SIGNED_IN] : ways.length > 0 ? ways : [SIGNED_IN];
  return { words: allowedText(model, act), security: securityOf(doc, all) };
}

/** Whether somebody who has not signed in could have one of these grants. */
function couldBeAnonymous(graph: Graph, model: Model, grants: readonly Grant[]): boolean {
  return grants.some((grant) => {
    if (grant.kind !== 'parent') return grant.kind === 'anybody' || grant.kind === 'where';
    const whole = modelOf(graph, model.parent!.target);
    return couldBeAnonymous(graph, whole, whole.access.verbs[grant.verb]);
  });
}
