import { letters } from '../expression/letters.ts';
import { callerNames } from '../expression/name-scope.ts';
import type { NameScope } from '../expression/name-scope.ts';
import { modelOf } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { expressionOf } from './condition.ts';
import { seenValue } from './permissions.ts';
import type { Permissions } from './permissions.ts';

/**
 * The names that a viewer can use in an expression, with their meaning for that viewer: all that answers may show.
 */
export function clientScope(permissions: Permissions, model: Model): NameScope {
  const { graph } = permissions;
  const { identity } = graph;
  // The journal is a model that is not in the graph.
  const computedOf = (name: string) => (name === model.name ? model : graph.byName.get(name))?.computed ?? [];
  const scope: NameScope = {
    model,
    models: graph.byName,
    computedNames: (name) => computedOf(name).map(({ member }) => member),
    computed: (name, member) => computedOf(name).find((one) => one.member === member)?.value,
    letters,
    withoutLetters: graph.fitted?.isBare,
    caller: identity && callerNames(identity, modelOf(graph, identity.model).key),
  };
  if (permissions.viewer.kind === 'service') return scope;
  const over = (name: string): Model => (name === model.name ? model : modelOf(graph, name));
  return {
    ...scope,
    sees: (name, member) => permissions.sees(over(name), member),
    seen: (name, member, value) => seenValue(permissions, over(name), member, value),
    guard: (name, via) => expressionOf(permissions.reaches(over(name), via)),
  };
}
