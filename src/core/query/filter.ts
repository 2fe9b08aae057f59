import { filterLanguages } from '../api/parameters.ts';
import type { ParameterFailure } from '../api/problems.ts';
import { compileExpression } from '../expression/compiled.ts';
import type { EvaluationContext } from '../expression/context.ts';
import { fromJson } from '../expression/json.ts';
import type { NameScope } from '../expression/name-scope.ts';
import { parse } from '../expression/parse.ts';
import { ExpressionError } from '../expression/syntax.ts';
import type { Syntax } from '../expression/syntax.ts';
import { typedCondition } from '../expression/type.ts';
import type { Expression } from '../model/expression.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { Dialect } from '../sql/dialect.ts';
import type { Binder } from '../sql/parameters.ts';
import { parseExactly } from '../text/exact-json.ts';
import { didYouMean } from '../text/nearest.ts';
import { askedOf } from './bounds.ts';
import { isCostly } from './cost.ts';
import type { ListCondition } from './list-form.ts';

/** Reads `filter` and `filter-lang`; undefined if they are wrong, which is reported. */
export type FilterReader = (
  text: string,
  language: string | undefined,
  failures: ParameterFailure[],
) => Expression | undefined;

export function filterReader(scope: NameScope): FilterReader {
  return (text, language = filterLanguages[0], failures) => {
    const refuse = (parameter: string, detail: string): undefined => void failures.push({ parameter, detail });
    if (!(filterLanguages as readonly string[]).includes(language)) {
      return refuse(
        'filter-lang',
        `must be one of ${filterLanguages.join(', ')}; ${didYouMean(language, filterLanguages)}`,
      );
    }
    try {
      const syntax = language === 'cql2-json' ? fromJsonText(text) : parse(text);
      return typedCondition(syntax, scope);
    } catch (error) {
      if (!(error instanceof ExpressionError)) throw error;
      return refuse('filter', `${whereOf(error)}${error.message}; ${error.remedy}`);
    }
  };
}

/** A condition on a list of a model's records. */
export const compileCondition = (
  graph: Graph,
  model: Model,
  dialect: Dialect,
  condition: Expression,
  parameters: Binder<EvaluationContext>,
): ListCondition => ({
  sql: compileExpression(condition, model, graph, dialect, parameters),
  asked: askedOf(condition),
  costly: isCostly(condition),
});

function fromJsonText(text: string): Syntax {
  let value: unknown;
  try {
    value = parseExactly(text);
  } catch {
    throw new ExpressionError('syntax', 'this is not JSON', 'mend it, or leave filter-lang out for the text encoding', {
      pointer: '',
    });
  }
  return fromJson(value);
}

function whereOf({ spot }: ExpressionError): string {
  if ('from' in spot) return `at character ${spot.from + 1}: `;
  return spot.pointer === '' ? '' : `at ${spot.pointer}: `;
}
