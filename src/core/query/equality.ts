import type { ParameterFailure } from '../api/problems.ts';
import type { NameScope } from '../expression/name-scope.ts';
import { resolveMany, resolveProperty } from '../expression/property.ts';
import type { Property } from '../expression/property.ts';
import { ExpressionError } from '../expression/syntax.ts';
import type { Expression } from '../model/expression.ts';
import type { FieldValue } from '../model/scalar.ts';
import { fromText } from '../model/value.ts';
import { quoted } from '../text/value.ts';
import { valueField } from './value-field.ts';

/** What `?name=value` compares, where the name is no column: a computed value, or a path like `hut.name`. */
export interface Equality {
  readonly value: Expression;
  readonly wanted: FieldValue;
}

/** Reads one; undefined if it is wrong, which is reported. `unknown` says that there is no such name. */
export function readEquality(
  scope: NameScope,
  name: string,
  text: string,
  failures: ParameterFailure[],
  unknown: string,
): Equality | undefined {
  const refuse = (detail: string): undefined => void failures.push({ parameter: name, detail });
  const property: Property = { kind: 'property', path: name.split('.'), spot: { from: 0, to: name.length } };
  try {
    const many = resolveMany(property, scope);
    if (many !== undefined)
      return refuse(
        many.value === undefined
          ? `is many records; use filter=exists(${name})`
          : `is many values; use filter=A_CONTAINS(${name}, (${literal(text)}))`,
      );
    const value = resolveProperty(property, scope);
    const field = valueField(name, value.type);
    if (field === undefined)
      return refuse(
        value.type.kind === 'array'
          ? `is a list; use filter=A_CONTAINS(${name}, (${literal(text)}))`
          : 'is JSON; compare what stands inside it, with filter',
      );
    const read = fromText(field, text);
    return 'fault' in read ? refuse(read.fault.detail) : { value, wanted: read.value };
  } catch (error) {
    if (!(error instanceof ExpressionError)) throw error;
    return refuse(error.code === 'unknown-property' && property.path.length === 1 ? unknown : error.message);
  }
}

/** A value as a filter has it. */
const literal = (text: string): string =>
  /^-?\d+(\.\d+)?$/.test(text) || text === 'true' || text === 'false'
    ? text
    : `'${quoted(text).slice(1, -1).replaceAll("'", "''")}'`;
