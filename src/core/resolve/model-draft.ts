import type { KeyDeclaration, ModelDeclaration } from '../declaration/declarations.ts';
import type { Declared } from '../declaration/declared.ts';
import type { Reporter } from '../declaration/reporter.ts';
import type { Field } from '../model/field.ts';
import type { Model } from '../model/model.ts';
import { didYouMean } from '../text/nearest.ts';
import { declaredField, serialKey, severalKey, uuidKey } from './field.ts';
import type { DefaultReader, DefaultTo } from './value-spec.ts';

/** A model's declaration, sound in its shape, with its document. */
export interface DeclaredModel {
  readonly declaration: ModelDeclaration;
  readonly document: Declared;
}

/** A model while it is being put together: its relations wait for the keys of the models they refer to. */
export interface Draft {
  readonly declaration: ModelDeclaration;
  readonly document: Declared;
  readonly report: Reporter;
  readonly key: Field;
  readonly keyKind: Model['keyKind'];
  readonly declared: ReadonlyMap<string, Field>;
  readonly defaults: ReadonlyMap<string, DefaultTo>;
}

export interface Drafts {
  get(model: string): Draft | undefined;
  has(model: string): boolean;
  keys(): Iterable<string>;
  values(): Iterable<Draft>;
  /** Models whose files could not be read: references to them are not reported. */
  readonly lost: ReadonlySet<string>;
}

/** A model with its members and relations, before anything that is worked out from them. */
export interface Skeleton extends Pick<
  Model,
  | 'name'
  | 'key'
  | 'fields'
  | 'byMember'
  | 'shown'
  | 'shownByMember'
  | 'relations'
  | 'links'
  | 'reverses'
  | 'parent'
  | 'stamps'
> {
  readonly draft: Draft;
  /** The fields of the key, as it names them. */
  readonly keySet: readonly Field[];
  /** The declaration of this name is wrong, and reported: uses of it are not. */
  isBroken(name: string): boolean;
}

export type Skeletons = ReadonlyMap<string, Skeleton>;

/** What other models draw on: `night.beds_left`. */
export type DrawnOn = ReadonlySet<string>;

export function draftOf(
  model: DeclaredModel,
  report: Reporter,
  readDefault: DefaultReader,
  drawnOn: DrawnOn = new Set(),
  hasHooks = false,
): Draft {
  const { declaration, document } = model;
  const fields = new Map<string, Field>();
  const defaults = new Map<string, DefaultTo>();
  const hasMaker = hasHooks || isMadeByCode(declaration);
  for (const [name, field] of Object.entries(declaration.fields ?? {})) {
    const isStock = drawnOn.has(`${declaration.model}.${name}`);
    const read = declaredField(name, field, report.below('fields', name), readDefault, isStock, hasMaker);
    fields.set(name, read.field);
    if (field?.from !== undefined && field.default !== undefined) {
      const message = `\`${name}\` has a default, so nothing is ever derived`;
      report.error('bad-source', message, 'keep one of the two', ['fields', name, 'from'], 'key');
    }
    if (read.defaultTo !== undefined) defaults.set(name, read.defaultTo);
  }
  for (const { member, derivedFrom } of fields.values())
    if (!defaults.has(member)) checkSource(member, derivedFrom, fields, report);
  const common = { declaration, document, report, declared: fields, defaults };
  const asked = declaration.key ?? 'uuid';
  const { type, fields: several, name = 'id', column = name } = keyDeclaration(asked);
  if (several !== undefined) {
    if (type !== undefined || column !== name) {
      const remedy = 'leave out the rest, or fields';
      report.error('bad-key', 'a key of several fields has `fields`, and a `name` at most', remedy, ['key']);
    }
    for (const [member, field] of fields) if (several.includes(member)) fields.set(member, asKey(field, 'field'));
    return { ...common, key: severalKey(name), keyKind: 'fields' };
  }
  if (type !== undefined) {
    const key = { ...(type === 'uuid' ? uuidKey : serialKey), member: name, column };
    return { ...common, key, keyKind: type };
  }
  if (typeof asked !== 'string') {
    report.error('bad-key', 'this key says neither `type` nor `fields`', 'say type: uuid, or serial', ['key']);
    return { ...common, key: uuidKey, keyKind: 'uuid' };
  }
  const found = fields.get(asked);
  if (found === undefined) {
    const remedy = `uuid, serial, or a field: ${didYouMean(asked, fields.keys())}`;
    report.error('unknown-field', `the key \`${asked}\` is not a field`, remedy, ['key']);
    return { ...common, key: uuidKey, keyKind: 'uuid' };
  }
  if (!KEY_TYPES.includes(found.type)) {
    report.error('bad-key', `a ${found.type} can not be a key`, `take a ${KEY_TYPES.join(', a ')}`, ['key']);
  }
  const key = asKey(found, 'key');
  fields.set(asked, key);
  return { ...common, key, keyKind: 'field' };
}

/** A declared key in its long form; of the name of a field, nothing. */
export function keyDeclaration(asked: ModelDeclaration['key'] = 'uuid'): KeyDeclaration {
  if (asked === 'uuid' || asked === 'serial') return { type: asked };
  if (typeof asked === 'string') return {};
  return 'length' in asked ? { fields: asked } : asked;
}

const asKey = (field: Field, origin: Field['origin']): Field => ({
  ...field,
  origin,
  rules: { ...field.rules, required: true, immutable: true },
});

/** Whether no client makes records of a model: operations and scripts do, and set what clients can not. */
function isMadeByCode({ endpoints, may }: ModelDeclaration): boolean {
  const isClosed = endpoints !== undefined && !endpoints.includes('create') && !endpoints.includes('replace');
  return isClosed || may?.create === 'nobody';
}

/** Types whose values have one form only, which fits into a path. */
export const KEY_TYPES: readonly string[] = ['string', 'integer', 'uuid', 'date', 'email'];

function checkSource(
  member: string,
  source: string | undefined,
  fields: ReadonlyMap<string, Field>,
  report: Reporter,
): void {
  if (source === undefined) return;
  const found = fields.get(source);
  const path = ['fields', member, 'from'];
  if (found === undefined) {
    const known = [...fields.keys()].filter((name) => name !== member);
    report.error('unknown-field', `there is no field \`${source}\` to derive it from`, didYouMean(source, known), path);
  } else if (source === member || !['string', 'text'].includes(found.type)) {
    const remedy = 'name another field, one of text';
    report.error('bad-source', `a slug can not be derived from \`${source}\``, remedy, path);
  } else if (found.rules.writeOnly) {
    report.error('secret-shown', `\`${source}\` is never shown, and a slug of it would be`, 'name another field', path);
  }
}
