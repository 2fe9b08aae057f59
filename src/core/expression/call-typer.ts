import type { Expression } from '../model/expression.ts';
import type { NameScope } from './name-scope.ts';
import { ExpressionError } from './syntax.ts';
import type { Call, Syntax } from './syntax.ts';

/** What typing a call needs from typing other expressions. */
export interface Typer {
  typed(syntax: Syntax, scope: NameScope): Expression;
  condition(syntax: Syntax, scope: NameScope): Expression;
  textual(written: Syntax, value: Expression): Expression;
  together(
    written: readonly Syntax[],
    values: readonly Expression[],
    scope: NameScope,
    how: 'equal' | 'ordered' | 'any',
  ): Expression[];
}

/** Types a call of one function. */
export type CallTyper = (call: Call, scope: NameScope, typer: Typer) => Expression;

/** Refuses a call with too few or too many values. */
export const arity = (call: Call, least: number, most = least): void => {
  const { op, args, spot } = call;
  if (args.length >= least && args.length <= most) return;
  const wanted =
    least === most
      ? least === 0
        ? 'no value'
        : least === 1
          ? 'one value'
          : `${least} values`
      : most === Infinity
        ? `${least} values or more`
        : `${least} or ${most} values`;
  const message = `${op}(${least === 0 ? '' : '…'}) takes ${wanted}, got ${args.length}`;
  throw new ExpressionError('syntax', message, least === 0 ? `write ${op}()` : `give it ${wanted}`, spot);
};

export const wrongType = (message: string, remedy: string, syntax: Syntax): ExpressionError =>
  new ExpressionError('wrong-type', message, remedy, syntax.spot);
