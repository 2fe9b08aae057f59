import type { ValueDeclaration } from '../declaration/declarations.ts';
import type { Path } from '../declaration/declared.ts';
import type { Reporter } from '../declaration/reporter.ts';
import type { NameScope } from '../expression/name-scope.ts';
import type { Expression } from '../model/expression.ts';
import { noRules, USUAL_ITEMS } from '../model/field.ts';
import type { ValueSpec } from '../model/field.ts';
import type { FieldValue, Scalar } from '../model/scalar.ts';
import { typeNames, typesOfRule } from '../model/types.ts';
import type { TypeName } from '../model/types.ts';
import { canonical } from '../model/value.ts';
import { didYouMean } from '../text/nearest.ts';
import { own } from '../text/own.ts';
import { isRecord } from '../text/value.ts';
import { patternFault } from './pattern.ts';

/** Reads `{ expr: … }` of a default: over a record where there is one, once its model is known. */
export type DefaultReader = (text: string, spec: ValueSpec, report: Reporter, place?: TextPlace) => DefaultTo;

/** Where an expression stands in its text, and what helps where it is of another kind. */
export interface TextPlace {
  readonly start: number;
  readonly remedy: string;
}

/** The expression of a default, given what names may mean; undefined if it is wrong, which is reported. */
export type DefaultTo = (scope?: NameScope) => Expression | undefined;

/** A declared value, and what it becomes where it is absent and an expression says so. */
export interface DeclaredValue {
  readonly spec: ValueSpec;
  readonly defaultTo?: DefaultTo | undefined;
}

/** Reads a declared value; reports rules that do not fit its type or another rule. */
export function declaredValue(
  called: string,
  declaration: ValueDeclaration | undefined,
  report: Reporter,
  readDefault: DefaultReader,
): DeclaredValue {
  const declared = declaration ?? {};
  const untyped = !Object.hasOwn(declared, 'type') && !Object.hasOwn(declared, 'enum');
  if (declaration !== undefined && untyped) {
    report.error('missing-key', `\`${called}\` needs a type`, `one of ${typeNames.join(', ')}; or an enum`, [], 'key');
  }
  const type: TypeName = declared.type ?? 'string';
  checkRulesOfType(type, declared, report);
  checkBounds(declared, report);
  const fault = declared.pattern === undefined ? undefined : patternFault(declared.pattern, declared.maxLength);
  if (fault !== undefined) {
    report[fault.severity === 'error' ? 'error' : 'warn'](fault.code, fault.message, fault.remedy, ['pattern']);
  }
  checkMessages(declared, report);

  const bare: ValueSpec = {
    type,
    scale: type === 'decimal' ? (declared.scale ?? 2) : 0,
    items: itemsOf(called, type, declaration, report, readDefault),
    properties: propertiesOf(called, type, declaration, report, readDefault),
    description: declared.description,
    deprecated: declared.deprecated,
    examples: [],
    rules: noRules,
  };
  const constant = (value: unknown, path: Path): FieldValue | undefined => {
    if (value === undefined || value === null) return value;
    const read = canonical(bare, value);
    if ('value' in read) return read.value;
    const [message, remedy] =
      isRecord(value) && Object.hasOwn(value, 'expr')
        ? ['a comma ends this expression', 'put the expression in quotes']
        : [`a value of \`${called}\` ${read.fault.detail}`, 'change it, or the type'];
    report.error('value-of-other-type', message, remedy, path);
    return undefined;
  };
  const constants = (key: 'enum' | 'examples'): FieldValue[] | undefined =>
    declared[key]?.map((value, index) => constant(value, [key, index])).filter((value) => value !== undefined);
  const expression = expressionOf(declared.default);
  const defaultTo =
    expression === undefined ? undefined : readDefault(expression, bare, report.below('default', 'expr'));
  const spec: ValueSpec = {
    ...bare,
    examples: constants('examples') ?? [],
    rules: {
      required: declared.required ?? false,
      default: expression === undefined ? constant(declared.default, ['default']) : undefined,
      hasDefault: declared.default !== undefined,
      minLength: declared.minLength,
      maxLength: declared.maxLength,
      pattern: fault?.severity === 'error' ? undefined : declared.pattern,
      format: declared.format,
      minimum: declared.minimum,
      maximum: declared.maximum,
      exclusiveMinimum: declared.exclusiveMinimum,
      exclusiveMaximum: declared.exclusiveMaximum,
      multipleOf: declared.multipleOf,
      minItems: declared.minItems,
      // Every list has an end: what it costs to look at one is bounded.
      maxItems: declared.maxItems ?? (type === 'array' ? Math.max(USUAL_ITEMS, declared.minItems ?? 0) : undefined),
      uniqueItems: declared.uniqueItems ?? false,
      // Only single values take an enum.
      enum: constants('enum') as Scalar[] | undefined,
      const: constant(declared.const, ['const']),
      trim: declared.trim ?? false,
      letters: declared.letters,
      immutable: false,
      readOnly: false,
      writeOnly: type === 'secret',
      message: declared.message,
    },
  };
  return { spec, defaultTo };
}

/** `{ expr: today() }`, which no constant of a scalar type looks like. */
function expressionOf(value: unknown): string | undefined {
  if (!isRecord(value) || Object.keys(value).join() !== 'expr') return undefined;
  return typeof value.expr === 'string' ? value.expr : undefined;
}

function checkRulesOfType(type: TypeName, declared: ValueDeclaration, report: Reporter): void {
  for (const rule of Object.keys(declared)) {
    const types = own(typesOfRule, rule);
    if (types === undefined || types.includes(type)) continue;
    const article = /^[aeiou]/.test(type) ? 'an' : 'a';
    const message = `${article} ${type} has no \`${rule}\``;
    report.error('rule-of-other-type', message, `it goes with ${types.join(', ')}`, [rule], 'key');
  }
}

function itemsOf(
  called: string,
  type: TypeName,
  declared: ValueDeclaration | undefined,
  report: Reporter,
  readDefault: DefaultReader,
): ValueSpec | undefined {
  if (type !== 'array') return undefined;
  if (declared !== undefined && !Object.hasOwn(declared, 'items')) {
    const remedy = 'write what its items are, as items: { type: string }';
    report.error('missing-key', `the array \`${called}\` needs \`items\``, remedy, [], 'key');
  }
  refuseSecret(declared?.items, report.below('items'));
  return declaredValue(`${called}'s items`, declared?.items, report.below('items'), readDefault).spec;
}

function propertiesOf(
  called: string,
  type: TypeName,
  declared: ValueDeclaration | undefined,
  report: Reporter,
  readDefault: DefaultReader,
): ReadonlyMap<string, ValueSpec> | undefined {
  if (type !== 'object') return undefined;
  if (declared !== undefined && !Object.hasOwn(declared, 'properties')) {
    const remedy = 'write what is in it, as properties: { … }; or take the type json, which holds anything';
    report.error('missing-key', `the object \`${called}\` needs \`properties\``, remedy, [], 'key');
  }
  return new Map(
    Object.entries(declared?.properties ?? {}).map(([name, property]) => {
      const inside = report.below('properties', name);
      refuseSecret(property, inside);
      return [name, declaredValue(`${called}.${name}`, property, inside, readDefault).spec];
    }),
  );
}

function refuseSecret(declared: ValueDeclaration | undefined, report: Reporter): void {
  if (declared?.type !== 'secret') return;
  report.error('nested-secret', 'a secret can not stand inside another value', 'make it a field of its own', ['type']);
}

/** Rules that a message can be for, beside those that are declared. */
const BUILT_IN = ['type', 'format', 'unknown', 'required', 'scale', 'unique', 'immutable', 'readOnly'];

function checkMessages(declared: ValueDeclaration, report: Reporter): void {
  if (!isRecord(declared.message)) return;
  for (const rule of Object.keys(declared.message)) {
    const known = [...Object.keys(declared).filter((name) => name !== 'message'), ...BUILT_IN];
    if (known.includes(rule)) continue;
    const message = `this message is for the rule \`${rule}\`, which is not declared here`;
    report.error('unknown-rule', message, didYouMean(rule, known), ['message', rule], 'key');
  }
}

function checkBounds(declared: ValueDeclaration, report: Reporter): void {
  const ordered = (low: keyof ValueDeclaration, high: keyof ValueDeclaration, mayBeEqual: boolean): void => {
    const [least, most] = [declared[low], declared[high]];
    if (typeof least !== 'number' || typeof most !== 'number') return;
    if (least < most || (mayBeEqual && least === most)) return;
    const message = `no value is allowed: ${low} is ${least} and ${high} is ${most}`;
    report.error('empty-range', message, 'change one of them', [high]);
  };
  ordered('minLength', 'maxLength', true);
  ordered('minItems', 'maxItems', true);
  ordered('minimum', 'maximum', true);
  ordered('exclusiveMinimum', 'maximum', false);
  ordered('minimum', 'exclusiveMaximum', false);
  ordered('exclusiveMinimum', 'exclusiveMaximum', false);
  if (declared.multipleOf !== undefined && declared.multipleOf <= 0) {
    report.error('empty-range', 'multipleOf must be above 0', 'leave it out, or give a number above 0', ['multipleOf']);
  }
  if (declared.scale !== undefined && declared.scale > 12) {
    report.error('empty-range', 'a decimal has at most 12 digits after the point', 'lower the scale', ['scale']);
  }
  declared.enum?.forEach((value, index) => {
    if (declared.enum?.indexOf(value) !== index) {
      report.error('duplicate-value', `the enum has ${JSON.stringify(value)} twice`, 'keep one', ['enum', index]);
    }
  });
}
