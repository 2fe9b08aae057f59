import { mixed, object, ValidationError } from 'yup';
import type { AnySchema } from 'yup';
import { describe } from '../declaration/check-shape.ts';
import { nearest } from '../declaration/nearest.ts';
import type { Field, FieldValue, Model } from '../model/graph.ts';
import { isWritten } from '../model/types.ts';
import { canonical, quoted } from '../model/value.ts';
import type { Failure } from './failure.ts';
import { pointerTo } from './failure.ts';
import { worded } from './message.ts';
import { testsOf } from './tests.ts';

/** The writes of a client, and `load`: a sample, written with the service's own authority. */
export type Kind = 'create' | 'replace' | 'update' | 'load';
export type Values = Record<string, FieldValue>;

/** A body that was read: what it sets, and what it repeats of that which nobody may change. */
export interface ReadBody {
  readonly values: Values;
  /** Members that a client may send back as they were read, but not change. */
  readonly repeated: ReadonlyMap<Field, unknown>;
  readonly failures: readonly Failure[];
}

export type BodyReader = (body: unknown) => ReadBody;

/** Whether a client may give this member a value in a write of this kind. */
export function isSettable(field: Field, kind: Kind): boolean {
  if (kind === 'load') return true;
  if (field.rules.readOnly) return false;
  return kind === 'create' || !field.rules.immutable;
}

/**
 * Compiles the rules of a model to a Yup schema for one kind of write. What comes of it reads a parsed JSON body:
 * blanks and letters are changed first, then every failure is found in one go.
 */
export function bodyReader(model: Model, kind: Kind): BodyReader {
  const settable = model.fields.filter((field) => isSettable(field, kind));
  const schema = object(Object.fromEntries(settable.map((field) => [field.member, fieldSchema(field, kind)])));
  const names = [...model.byMember.keys()];

  return (body) => {
    if (typeof body !== 'object' || body === null || Array.isArray(body)) {
      const detail = `must be an object with the members of ${model.name}, got ${describe(body)}`;
      return { values: {}, repeated: new Map(), failures: [{ pointer: '', rule: 'type', detail }] };
    }
    const given = body as Record<string, unknown>;
    const failures: Failure[] = [];
    const repeated = new Map<Field, unknown>();
    const values: Values = {};
    for (const member of Object.keys(given)) {
      const field = model.byMember.get(member);
      if (field === undefined) failures.push(unknownMember(member, names));
      else if (isSettable(field, kind)) values[member] = prepared(field, given[member]);
      else repeated.set(field, given[member]);
    }
    try {
      schema.validateSync(values, { strict: true, abortEarly: false, disableStackTrace: true });
    } catch (error) {
      if (!ValidationError.isError(error)) throw error;
      failures.push(...failuresOf(error));
    }
    return { values, repeated, failures };
  };
}

/** A value in its canonical form; one of a wrong type is left as it is, for the schema to refuse. */
function prepared(field: Field, value: unknown): FieldValue {
  if (value === null) return null;
  const read = canonical(field, changed(field, value));
  return 'value' in read ? read.value : (value as FieldValue);
}

/** What a client sends of a text before it is checked: blanks cut off, letters brought to one case. */
function changed(field: Field, value: unknown): unknown {
  if (typeof value !== 'string') return value;
  const text = field.rules.trim ? value.trim() : value;
  if (field.rules.letters === 'lower') return text.toLowerCase();
  return field.rules.letters === 'upper' ? text.toUpperCase() : text;
}

interface Given {
  readonly path: string;
  readonly value: unknown;
}

function fieldSchema(field: Field, kind: Kind): AnySchema {
  const check = (value: unknown): value is NonNullable<FieldValue> => 'value' in canonical(field, value);
  const missing = ({ path, value }: Given): Failure =>
    failure(field, path, 'required', value === null ? 'must not be null' : 'must be given');
  const wrongType = ({ path, value }: Given): Failure => {
    const read = canonical(field, value);
    return 'fault' in read ? failure(field, path, read.fault.rule, read.fault.detail) : missing({ path, value });
  };

  const { required, readOnly, default: standing } = field.rules;
  let schema: AnySchema = mixed({ type: field.type, check }).typeError(wrongType);
  schema = (required ? schema.nonNullable(missing) : schema.nullable()) as AnySchema;
  if (required && !readOnly && standing === undefined && kind !== 'update')
    schema = schema.defined(missing) as AnySchema;

  for (const { rule, holds, says } of testsOf(field)) {
    const message = ({ path, value }: Given): Failure =>
      failure(field, path, rule, rule === 'required' ? says : `${says}, got ${shown(field, value)}`);
    const test = (value: unknown): boolean => holds(value as NonNullable<FieldValue>);
    schema = schema.test({ name: rule, skipAbsent: true, message, test });
  }
  return schema;
}

/** What was got, in few words: of a long text its length says more than its beginning. */
function shown(field: Field, value: unknown): string {
  if (isWritten(field.type) && typeof value === 'string' && value.length > 40) return `${[...value].length} characters`;
  return quoted(value);
}

/** Yup carries whatever a message function gives, so each failure travels whole in its message. */
const failure = (field: Field, path: string, rule: string, detail: string): Failure => ({
  pointer: pointerTo(path),
  rule,
  detail: worded(field, rule, detail),
});

function failuresOf(error: ValidationError): Failure[] {
  const each = error.inner.length > 0 ? error.inner : [error];
  return each.map((one) => (one.message as unknown as Failure) ?? { pointer: '', rule: 'type', detail: String(one) });
}

function unknownMember(member: string, names: readonly string[]): Failure {
  const guess = nearest(member, names);
  const detail = guess === undefined ? 'no such field' : `no such field; did you mean ${guess}?`;
  return { pointer: pointerTo(member), rule: 'unknown', detail };
}
