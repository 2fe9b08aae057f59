import type { FieldDeclaration, ModelDeclaration, StampDeclaration } from '../declaration/declarations.ts';
import type { Reporter } from '../declaration/reporter.ts';
import { noRules } from '../model/field.ts';
import type { Field, Rules } from '../model/field.ts';
import type { Stamps } from '../model/model.ts';
import { declaredValue } from './value-spec.ts';
import type { DefaultReader, DefaultTo } from './value-spec.ts';

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

/** A key of several fields, before it is known which ones. */
export const severalKey = (member: string): Field => ({
  ...uuidKey,
  member,
  column: '',
  type: 'string',
  parts: [],
});

/** The stamps of a model: those that it names, or the usual two. */
export function stampsOf(declared: ModelDeclaration['stamps'] = true): Stamps {
  if (declared === false) return {};
  const { created, updated } = declared === true ? USUAL_STAMPS : declared;
  return {
    ...(created === undefined ? {} : { created: stampField(created, 'When the record was made.') }),
    ...(updated === undefined ? {} : { updated: stampField(updated, 'When the record was last changed.') }),
  };
}

const USUAL_STAMPS = { created: 'created_at', updated: 'updated_at' } as const;

function stampField(declared: StampDeclaration, description: string): Field {
  const { name = '', column = name } = typeof declared === 'string' ? { name: declared } : declared;
  return { ...stamp, member: name, column, description };
}

const stamp: Omit<Field, 'member' | 'column'> = {
  type: 'date-time',
  scale: 0,
  origin: 'stamp',
  examples: [],
  rules: { ...setByTheService, immutable: false },
};

/** A declared field, and what it becomes where it is absent and an expression says so. */
export interface DeclaredField {
  readonly field: Field;
  readonly defaultTo?: DefaultTo | undefined;
}

/** Reads a declared field of a model. */
export function declaredField(
  name: string,
  declaration: FieldDeclaration | undefined,
  report: Reporter,
  readDefault: DefaultReader,
  drawnOn = false,
  hasMaker = false,
): DeclaredField {
  const { spec, defaultTo } = declaredValue(name, declaration, report, readDefault);
  const declared = declaration ?? {};
  const { rules } = spec;
  const isNobodys = declared.readOnly === true && declared.required === true && !rules.hasDefault;
  if (isNobodys && declared.from === undefined && !hasMaker) {
    const remedy =
      'give it a default, set it in a hook beforeCreate or an operation that alone makes them, or leave out required';
    report.error(
      'nobody-can-set',
      `\`${name}\` is required, and nobody can give it a value`,
      remedy,
      ['readOnly'],
      'key',
    );
  }
  if (declared.readOnly === true && (declared.writeOnly === true || spec.type === 'secret')) {
    const remedy = 'keep one of the two';
    report.error(
      'nobody-can-use',
      `\`${name}\` can neither be set nor be seen by a client`,
      remedy,
      ['readOnly'],
      'key',
    );
  }
  const source = /^slug\((.+)\)$/.exec(declared.from ?? '')?.[1];
  const field: Field = {
    ...spec,
    member: name,
    column: declared.column ?? name,
    origin: 'field',
    drawnOn,
    derivedFrom: source,
    rules: {
      ...rules,
      immutable: declared.immutable ?? false,
      readOnly: declared.readOnly ?? false,
      writeOnly: rules.writeOnly || (declared.writeOnly ?? false),
    },
  };
  if (source === undefined || isName(source)) return { field, defaultTo };
  const place = { start: 'slug('.length, remedy: 'name a text' };
  return {
    field,
    defaultTo: readDefault(source, { ...spec, type: 'text', rules: noRules }, report.below('from'), place),
  };
}

/** Of the text of an expression: whether it is the name of a member. */
const isName = (text: string): boolean => /^[a-z][a-z0-9_]*$/.test(text);
