import type { Path } from '../declaration/declared.ts';
import type { ProblemCode } from '../declaration/problem-codes.ts';
import type { Reporter } from '../declaration/reporter.ts';
import type { NameScope } from '../expression/name-scope.ts';
import { parse } from '../expression/parse.ts';
import { ExpressionError } from '../expression/syntax.ts';
import type { Syntax } from '../expression/syntax.ts';
import { typed, typedCondition } from '../expression/type.ts';
import type { Expression } from '../model/expression.ts';

const codes: Readonly<Record<Exclude<ExpressionError['code'], 'told'>, ProblemCode>> = {
  syntax: 'unreadable-expression',
  'unknown-property': 'unknown-field',
  'unknown-function': 'unknown-function',
  'wrong-type': 'wrong-type',
  'too-large': 'too-large',
  hidden: 'secret-shown',
};

/**
 * An expression in a declaration, at `path`, from the character `start` of the text there. Problems are reported with
 * their place; undefined then.
 */
export function declaredExpression(
  text: string,
  wanted: 'value' | 'condition',
  scope: NameScope,
  report: Reporter,
  path: Path,
  start = 0,
): Expression | undefined {
  const tell = (code: ProblemCode, message: string, remedy: string, spot: Syntax['spot']): void => {
    const [from, to] = 'from' in spot ? [spot.from, spot.to] : [0, text.length];
    report.errorIn(code, message, remedy, path, start + from, start + to);
  };
  try {
    let sound = true;
    const strange: NameScope['strange'] = (message, remedy, spot) => {
      sound = false;
      tell('never-true', message, remedy, spot);
    };
    const read = wanted === 'condition' ? typedCondition : typed;
    const expression = read(parse(text), { ...scope, strange });
    return sound ? expression : undefined;
  } catch (error) {
    if (!(error instanceof ExpressionError)) throw error;
    if (error.code === 'told') return undefined;
    tell(codes[error.code], error.message, error.remedy, error.spot);
    return undefined;
  }
}

/** A text with expressions in braces: `{name}, {valley}`. A brace that is meant is doubled. */
export function declaredTemplate(
  text: string,
  scope: NameScope,
  report: Reporter,
  path: Path,
  own: readonly string[] = [],
): (string | Expression)[] | undefined {
  const parts: (string | Expression)[] = [];
  let sound = true;
  let literal = '';
  for (let at = 0; at < text.length;) {
    const character = text.charAt(at);
    if ((character === '{' || character === '}') && text.charAt(at + 1) === character) {
      literal += character;
      at += 2;
    } else if (character === '{') {
      const end = text.indexOf('}', at);
      if (end < 0) {
        report.errorIn(
          'unreadable-expression',
          'this { is not closed',
          'close it with }; a { that is meant is doubled',
          path,
          at,
          at + 1,
        );
        return undefined;
      }
      const inside = text.slice(at + 1, end);
      if (own.includes(inside)) literal += `{${inside}}`;
      else {
        if (literal !== '') parts.push(literal);
        literal = '';
        const expression = declaredExpression(inside, 'value', scope, report, path, at + 1);
        sound = sound && expression !== undefined;
        if (expression !== undefined) parts.push(expression);
      }
      at = end + 1;
    } else {
      literal += character;
      at += 1;
    }
  }
  if (literal !== '') parts.push(literal);
  return sound ? parts : undefined;
}
