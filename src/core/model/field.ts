import type { Path } from '../declaration/document.ts';
import { isRecord } from '../declaration/check-shape.ts';
import type { FieldDeclaration } from './declarations.ts';
import type { Field, FieldValue, Rules } from './graph.ts';
import { typesOfRule, typeNames } from './types.ts';
import type { TypeName } from './types.ts';
import { canonical } from './value.ts';

type Complain = (code: string, message: string, remedy: string, path: Path, part?: 'key' | 'value') => void;

export const noRules: Rules = { required: false, trim: false, immutable: false, readOnly: false };

const setByTheService: Rules = { ...noRules, required: true, immutable: true, readOnly: true };

export const uuidKey: Field = {
  member: 'id',
  column: 'id',
  type: 'uuid',
  scale: 0,
  origin: 'key',
  description: 'The key of the record.',
  examples: [],
  rules: setByTheService,
};

export const serialKey: Field = { ...uuidKey, type: 'integer' };

export const stampField = (member: 'created_at' | 'updated_at'): Field => ({
  member,
  column: member,
  type: 'date-time',
  scale: 0,
  origin: 'stamp',
  description: member === 'created_at' ? 'When the record was made.' : 'When the record was last changed.',
  examples: [],
  rules: { ...setByTheService, immutable: false },
});

/** A declared field, with every rule that doesn't go with its type, or with another rule, told. */
export function declaredField(name: string, declaration: FieldDeclaration | undefined, complain: Complain): Field {
  const declared = declaration ?? {};
  const untyped = !Object.hasOwn(declared, 'type') && !Object.hasOwn(declared, 'enum');
  if (declaration !== undefined && untyped) {
    complain('missing-key', `\`${name}\` needs a type`, `one of ${typeNames.join(', ')}; or an enum`, [], 'key');
  }
  const type: TypeName = declared.type ?? 'string';
  for (const rule of Object.keys(declared)) {
    const types = typesOfRule[rule];
    if (types !== undefined && !types.includes(type)) {
      const article = /^[aeiou]/.test(type) ? 'an' : 'a';
      complain(
        'rule-of-other-type',
        `${article} ${type} has no \`${rule}\``,
        `it goes with ${types.join(', ')}`,
        [rule],
        'key',
      );
    }
  }
  checkBounds(declared, complain);
  if (declared.pattern !== undefined && !compiles(declared.pattern)) {
    complain('bad-pattern', 'this pattern is not a regular expression', 'mend it (the u flag is on)', ['pattern']);
  }
  if (isRecord(declared.default)) {
    complain('not-yet', 'computed defaults are not put to work by this version', 'give a constant', ['default']);
  }
  if (declared.readOnly === true && declared.required === true && declared.default === undefined) {
    const remedy = 'give it a default, or leave out required';
    complain('nobody-can-set', `\`${name}\` is required, and nobody can give it a value`, remedy, ['readOnly'], 'key');
  }

  const bare: Field = {
    member: name,
    column: declared.column ?? name,
    type,
    scale: type === 'decimal' ? (declared.scale ?? 2) : 0,
    origin: 'field',
    description: declared.description,
    examples: [],
    rules: noRules,
  };
  const constant = (value: unknown, path: Path): FieldValue | undefined => {
    if (value === undefined || value === null) return value;
    const read = canonical(bare, value);
    if ('value' in read) return read.value;
    complain('value-of-other-type', `a value of \`${name}\` ${read.fault.detail}`, 'change it, or the type', path);
    return undefined;
  };
  const constants = (key: 'enum' | 'examples'): FieldValue[] | undefined =>
    declared[key]?.map((value, index) => constant(value, [key, index])).filter((value) => value !== undefined);

  return {
    ...bare,
    examples: constants('examples') ?? [],
    rules: {
      required: declared.required ?? false,
      default: isRecord(declared.default) ? undefined : constant(declared.default, ['default']),
      minLength: declared.minLength,
      maxLength: declared.maxLength,
      pattern: declared.pattern,
      minimum: declared.minimum,
      maximum: declared.maximum,
      exclusiveMinimum: declared.exclusiveMinimum,
      exclusiveMaximum: declared.exclusiveMaximum,
      multipleOf: declared.multipleOf,
      enum: constants('enum'),
      const: constant(declared.const, ['const']),
      trim: declared.trim ?? false,
      letters: declared.letters,
      immutable: declared.immutable ?? false,
      readOnly: declared.readOnly ?? false,
      message: declared.message,
    },
  };
}

function checkBounds(declared: FieldDeclaration, complain: Complain): void {
  const ordered = (low: keyof FieldDeclaration, high: keyof FieldDeclaration, mayBeEqual: boolean): void => {
    const [least, most] = [declared[low], declared[high]];
    if (typeof least !== 'number' || typeof most !== 'number') return;
    if (least < most || (mayBeEqual && least === most)) return;
    complain('empty-range', `no value is allowed: ${low} is ${least} and ${high} is ${most}`, 'change one of them', [
      high,
    ]);
  };
  ordered('minLength', 'maxLength', true);
  ordered('minimum', 'maximum', true);
  ordered('exclusiveMinimum', 'maximum', false);
  ordered('minimum', 'exclusiveMaximum', false);
  ordered('exclusiveMinimum', 'exclusiveMaximum', false);
  if (declared.multipleOf !== undefined && declared.multipleOf <= 0) {
    complain('empty-range', 'multipleOf must be above 0', 'leave it out, or give a number above 0', ['multipleOf']);
  }
  if (declared.scale !== undefined && declared.scale > 12) {
    complain('empty-range', 'a decimal has at most 12 digits after the point', 'lower the scale', ['scale']);
  }
  declared.enum?.forEach((value, index) => {
    if (declared.enum?.indexOf(value) !== index) {
      complain('duplicate-value', `the enum has ${JSON.stringify(value)} twice`, 'keep one', ['enum', index]);
    }
  });
}

function compiles(pattern: string): boolean {
  try {
    new RegExp(pattern, 'u');
    return true;
  } catch {
    return false;
  }
}
