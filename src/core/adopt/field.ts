import type { FieldDeclaration } from '../declaration/declarations.ts';
import { typesOfRule } from '../model/types.ts';
import type { TypeName } from '../model/types.ts';
import type { CatalogueColumn, ColumnKind, Preset } from '../tables/catalogue.ts';
import { decimalOfNumber, formatDecimal, rescale } from '../text/decimal.ts';
import { own } from '../text/own.ts';
import { patternFault } from '../resolve/pattern.ts';
import type { CheckRules } from './check-rules.ts';

/** A field as it is declared for a column, and what could not be said of it. */
export interface AdoptedField {
  readonly declared: FieldDeclaration;
  readonly notes: readonly string[];
}

/** Declares a field for a column with such checks. `mayWrite`: whether records are made and changed. */
export function adoptedField(column: CatalogueColumn, checks: readonly CheckRules[], mayWrite: boolean): AdoptedField {
  const kind = column.kind!;
  const notes: string[] = kind.told === undefined ? [] : [kind.told];
  const isMade = column.made !== undefined;
  const suited = checks.map(({ rules }) => suitedTo(kind, rules));
  if (suited.includes(undefined)) notes.push('a check of it says what its type has no words for');
  const rules = suited.reduce<CheckRules['rules']>(together, {});
  const preset = isMade ? undefined : presetOf(column.preset, kind, rules, notes);
  const isFilled = preset === undefined && typeof column.preset === 'object' && 'words' in column.preset && !isMade;
  const readOnly = mayWrite && (isMade || kind.readOnly === true || isFilled);
  const required = !column.nullable && !readOnly;
  const isText = ['string', 'text'].includes(kind.type) && kind.enum === undefined && rules.enum === undefined;
  return {
    notes,
    declared: {
      type: kind.type,
      ...(column.comment === undefined ? {} : { description: column.comment }),
      ...(required ? { required: true } : {}),
      ...(kind.maxLength === undefined || kind.enum !== undefined || kind.type === 'uuid'
        ? {}
        : { maxLength: kind.maxLength }),
      // A text that must be given may be empty here, as long as no check says otherwise.
      ...(required && isText && rules.minLength === undefined ? { minLength: 0 } : {}),
      ...(kind.type === 'decimal' ? { scale: kind.scale ?? 0 } : {}),
      ...(kind.type === 'array' ? { items: { type: kind.items!, ...(kind.enum && { enum: kind.enum }) } } : {}),
      ...(kind.enum === undefined || kind.type === 'array' ? {} : { enum: kind.enum }),
      ...rules,
      ...(preset === undefined ? {} : { default: preset }),
      ...(readOnly ? { readOnly: true } : {}),
    },
  };
}

/** Both rules: of two lists, what stands in both. */
function together(one: CheckRules['rules'], other: CheckRules['rules'] = {}): CheckRules['rules'] {
  const among = other.enum === undefined ? one.enum : one.enum?.filter((value) => other.enum!.includes(value));
  return { ...one, ...other, ...((among ?? other.enum) === undefined ? {} : { enum: among ?? other.enum }) };
}

/** The rules of a check as a field of such a type has them; undefined where it can't. */
function suitedTo(
  { type, scale = 0, maxLength }: ColumnKind,
  rules: CheckRules['rules'],
): CheckRules['rules'] | undefined {
  if (type === 'boolean' && rules.enum?.length === 2) return {};
  const { enum: values = rules.const === undefined ? undefined : [rules.const], const: _one, ...others } = rules;
  if (Object.keys(others).some((rule) => own(typesOfRule, rule)?.includes(type) !== true)) return undefined;
  // Databases take patterns that would take for ever on some texts.
  if (others.pattern !== undefined && patternFault(others.pattern, maxLength)?.severity === 'error') return undefined;
  if (values === undefined) return others;
  const constants = values.map((value) => constantOf(value as string | number | boolean, type, scale));
  if (constants.includes(undefined) || constants.length === 0) return undefined;
  return constants.length === 1 && type === 'boolean'
    ? { const: constants[0] }
    : type === 'boolean'
      ? undefined
      : { enum: constants };
}

/** A default that the models can say; undefined where they can't, which is noted. */
function presetOf(preset: Preset | undefined, kind: ColumnKind, rules: CheckRules['rules'], notes: string[]): unknown {
  const { type, scale = 0 } = kind;
  if (preset === undefined) return undefined;
  if (preset === 'now') {
    if (type === 'date-time') return { expr: 'now()' };
    if (type === 'date') return { expr: 'today()' };
    notes.push('its default is the moment, which its type has no words for');
    return undefined;
  }
  if (preset === 'uuid' || 'words' in preset) {
    const words = preset === 'uuid' ? 'a uuid' : preset.words;
    notes.push(`its default is ${words}: the database alone gives it a value`);
    return undefined;
  }
  const value = constantOf(preset.value, type, scale);
  if (value === undefined) notes.push(`its default ${JSON.stringify(preset.value)} is no value of its type`);
  else if (!keeps(value, { enum: kind.enum, maxLength: kind.maxLength, ...rules })) {
    notes.push(`its default ${JSON.stringify(preset.value)} breaks a rule of its own`);
    return undefined;
  }
  return value;
}

/** Whether a constant keeps rules: a default in a database need not. */
function keeps(value: unknown, rules: CheckRules['rules']): boolean {
  const [number, length] = [Number(value), [...String(value)].length];
  const { minimum, maximum, exclusiveMinimum, exclusiveMaximum, multipleOf, minLength, maxLength, pattern } = rules;
  const isText = typeof value === 'string';
  return (
    (minimum === undefined || number >= minimum) &&
    (maximum === undefined || number <= maximum) &&
    (exclusiveMinimum === undefined || number > exclusiveMinimum) &&
    (exclusiveMaximum === undefined || number < exclusiveMaximum) &&
    (multipleOf === undefined || number % multipleOf === 0) &&
    (!isText || minLength === undefined || length >= minLength) &&
    (!isText || maxLength === undefined || length <= maxLength) &&
    (!isText || pattern === undefined || new RegExp(pattern, 'u').test(value)) &&
    (rules.enum === undefined || rules.enum.includes(value)) &&
    (rules.const === undefined || rules.const === value)
  );
}

function constantOf(value: string | number | boolean, type: TypeName, scale: number): unknown {
  switch (type) {
    case 'boolean':
      return [true, 1, '1', 't', 'true'].includes(value)
        ? true
        : [false, 0, '0', 'f', 'false'].includes(value)
          ? false
          : undefined;
    case 'integer':
      return Number.isSafeInteger(Number(value)) && value !== '' ? Number(value) : undefined;
    case 'number':
      return Number.isFinite(Number(value)) && value !== '' ? Number(value) : undefined;
    case 'decimal': {
      if (!Number.isFinite(Number(value)) || value === '') return undefined;
      const exact = rescale(decimalOfNumber(Number(value)), scale);
      return exact && formatDecimal(exact);
    }
    case 'json':
    case 'array':
    case 'object':
    case 'date-time':
    case 'time':
      return undefined;
    default:
      return String(value);
  }
}
