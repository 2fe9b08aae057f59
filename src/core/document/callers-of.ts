import { grantsOf } from '../access/condition.ts';
import type { Act } from '../access/condition.ts';
import { mayText } from '../access/grant-text.ts';
import type { Grant } from '../model/access.ts';
import type { Graph, Model } from '../model/graph.ts';
import { modelOf } from '../model/graph.ts';
import type { Documented } from './documented.ts';
import { securityRef } from './security.ts';
import type { JsonSchema } from './json-schema.ts';

/** Who may ask for something, in words and as the document's security says it. */
export interface CallersOf {
  readonly words: string;
  /** Nothing where nobody signs in. */
  readonly security: JsonSchema;
}

export function callersOf(doc: Documented, model: Model, act: Act): CallersOf {
  const { graph } = doc;
  const open = couldBeAnonymous(graph, model, grantsOf(model, act)) && (act === 'create' || couldBeAnonymous(graph, model, grantsOf(model, 'read'))); // prettier-ignore
  return { words: `For ${mayText(model, act)}.`, security: securityRef(doc, open ? 'optional' : 'required') };
}

/** Whether somebody who has not signed in could have one of these grants. */
function couldBeAnonymous(graph: Graph, model: Model, grants: readonly Grant[]): boolean {
  return grants.some((grant) => {
    if (grant.kind !== 'parent') return grant.kind === 'anybody' || grant.kind === 'where';
    const whole = modelOf(graph, model.parent!.target);
    return couldBeAnonymous(graph, whole, whole.access.verbs[grant.verb]);
  });
}
