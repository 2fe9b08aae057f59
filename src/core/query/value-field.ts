import type { ValueKind } from '../model/expression.ts';
import { noRules } from '../model/field.ts';
import type { Field } from '../model/field.ts';

/** How the values of an expression are written and taken: as those of a field would be that may be null. */
export function valueField(member: string, { kind, scale }: ValueKind): Field | undefined {
  if (kind === 'array' || kind === 'json') return undefined;
  return {
    member,
    column: '',
    origin: 'field',
    type: kind === 'text' ? 'string' : kind,
    scale,
    rules: noRules,
    examples: [],
  };
}
