import { MOST_TOLD } from '../api/problems.ts';
import type { ParameterFailure } from '../api/problems.ts';
import { compileExpression } from '../expression/compiled.ts';
import type { EvaluationContext } from '../expression/context.ts';
import type { NameScope } from '../expression/name-scope.ts';
import { resolveProperty } from '../expression/property.ts';
import { ExpressionError } from '../expression/syntax.ts';
import type { Expression } from '../model/expression.ts';
import type { Graph } from '../model/graph.ts';
import { withKey } from '../model/indexes.ts';
import type { Model } from '../model/model.ts';
import { isScalar } from '../model/types.ts';
import type { Dialect } from '../sql/dialect.ts';
import type { Binder } from '../sql/parameters.ts';
import type { ListKey } from './list-form.ts';
import { valueField } from './value-field.ts';

/** Reads `sort`; its expressions take their parameters from the list's. */
export type SortReader = (
  text: string | undefined,
  parameters: Binder<EvaluationContext>,
  failures: ParameterFailure[],
) => readonly ListKey[];

/** What a client may sort by: fields, computed values, and those of the one record that a relation leads to. */
export function sortReader(graph: Graph, model: Model, dialect: Dialect, scope: NameScope): SortReader {
  return (text, parameters, failures) => {
    if (text === undefined) return model.sort;
    const keys = new Map<string, ListKey>();
    for (const part of text.split(',')) {
      if (failures.length > MOST_TOLD) break;
      const descending = part.startsWith('-');
      const name = descending ? part.slice(1) : part;
      const refuse = (detail: string): void => void failures.push({ parameter: 'sort', detail });
      if (keys.has(name)) {
        refuse(`names ${name} twice`);
        continue;
      }
      try {
        const found = sorted(name, scope);
        if (found === undefined) {
          refuse(`${name} is no text, and has no letters to be folded`);
          continue;
        }
        const key = keyOf(found, name, descending);
        if (key === undefined)
          refuse(`${name} is ${found.type.kind === 'json' ? 'JSON' : `an ${found.type.kind}`}, which has no order`);
        else if (key.field.parts !== undefined && isOwn(found, model)) {
          for (const field of key.field.parts)
            if (!keys.has(field.member)) keys.set(field.member, { field, descending });
        } else if (isOwn(found, model)) keys.set(name, key);
        else keys.set(name, { ...key, sql: compileExpression(found, model, graph, dialect, parameters) });
      } catch (error) {
        if (!(error instanceof ExpressionError)) throw error;
        refuse(`${error.message}; ${error.remedy}`);
      }
    }
    // What follows the key can't change the order any more, and the key makes every order total.
    const given = [...keys.values()];
    const end = given.findIndex((_key, at) => isTotal(given.slice(0, at + 1), model));
    return end >= 0 ? given.slice(0, end + 1) : withKey(given, model);
  };
}

const isTotal = (order: readonly ListKey[], model: Model): boolean => withKey(order, model).length === order.length;

/** What an entry of `sort` names: a value, or a text with its letters folded: `CASEI(name)`, `ACCENTI(CASEI(name))`. */
function sorted(name: string, scope: NameScope, foldings = 2): Expression | undefined {
  const [, folding, inner] = /^(casei|accenti)\((.*)\)$/i.exec(name) ?? [];
  if (folding === undefined || foldings === 0)
    return resolveProperty({ kind: 'property', path: name.split('.'), spot: { from: 0, to: 0 } }, scope);
  const of = sorted(inner!, scope, foldings - 1);
  if (of?.type.kind !== 'text') return undefined;
  return { op: folding.toLowerCase() as 'casei' | 'accenti', of, type: of.type };
}

const isOwn = (found: Expression, model: Model): boolean =>
  found.op === 'field' && found.inside.length === 0 && model.byMember.get(found.field.member) === found.field;

/** A key of an order; undefined for values that have none. */
function keyOf(found: Expression, name: string, descending: boolean): ListKey | undefined {
  if (found.op === 'field' && found.inside.length === 0) {
    return isScalar(found.field.type) ? { field: found.field, descending } : undefined;
  }
  const field = valueField(name, found.type);
  return field === undefined ? undefined : { field, descending };
}
