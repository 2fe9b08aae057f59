import type { Field } from '../model/field.ts';
import { partsOf } from '../model/joined-key.ts';
import type { Relation } from '../model/relation.ts';
import { underscored } from '../text/names.ts';
import { didYouMean } from '../text/nearest.ts';
import { KEY_TYPES, keyDeclaration } from './model-draft.ts';
import type { Draft, Skeleton, Skeletons } from './model-draft.ts';

/** As many columns as a key is put together of: databases bound those of an index. */
export const MOST_PARTS = 8;

/** The fields that a model's key of several is put together of, as it names them: those of relations among them. */
export function keySetOf({ declaration, declared, report }: Draft, relations: readonly Relation[]): Field[] {
  const { key } = declaration;
  const names = keyDeclaration(key).fields ?? [];
  const isList = typeof key === 'object' && 'length' in key;
  const pathOf = (at: number): (string | number)[] => (isList ? ['key', at] : ['key', 'fields', at]);
  const parts: Field[] = [];
  for (const [at, name] of names.entries()) {
    const relation = relations.find((one) => one.name === name || one.field.member === name);
    const field = declared.get(name) ?? relation?.field;
    if (field === undefined) {
      const known = [...declared.keys(), ...relations.map((one) => one.name)];
      const message = `the key has \`${name}\` in it, which is neither a field nor a relation to one record`;
      report.error('unknown-field', message, didYouMean(name, known), pathOf(at));
    } else if (parts.includes(field)) {
      report.error('duplicate-value', `the key has \`${name}\` twice`, 'keep one', pathOf(at));
    } else {
      const problem = problemOf(field);
      if (problem !== undefined)
        report.error('bad-key', `\`${name}\` ${problem}`, 'take another field, or a key of one', pathOf(at));
      parts.push(field);
    }
  }
  return parts;
}

function problemOf({ type, derivedFrom, rules, drawnOn }: Field): string | undefined {
  if (!KEY_TYPES.includes(type)) return `is a ${type}; a key is made of a ${KEY_TYPES.join(', a ')}`;
  if (derivedFrom !== undefined) return 'is derived from others, and not known early enough';
  if (rules.writeOnly) return 'is never shown, and a key is';
  return drawnOn === true ? 'is stock, which changes' : undefined;
}

/**
 * Finds the columns of all keys of several fields, and of the references to them: a key may have such a reference in
 * it, and then all columns of that.
 */
export function joinParts(skeletons: Skeletons): void {
  const done = new Set<Skeleton>();
  const joinKey = (model: Skeleton, open: readonly Skeleton[]): void => {
    if (done.has(model) || model.key.parts === undefined) return;
    if (open.includes(model)) {
      const circle = [...open.slice(open.indexOf(model)), model].map(({ name }) => name).join(' → ');
      model.draft.report.error('bad-key', `keys in a circle: ${circle}`, 'take a key of one for one of them', ['key']);
      return;
    }
    for (const field of model.keySet) {
      if (field.parts !== undefined) joinReference(model, field, [...open, model]);
      push(model.key, partsOf(field));
    }
    done.add(model);
    if (model.key.parts.length > MOST_PARTS) {
      const message = `a key is put together of ${MOST_PARTS} columns at most`;
      model.draft.report.error('bad-key', message, 'take a key of one, and unique for the rest', ['key']);
    }
  };
  const joinReference = (model: Skeleton, field: Field, open: readonly Skeleton[]): void => {
    if (field.parts!.length > 0) return;
    const target = skeletons.get(field.refersTo!)!;
    joinKey(target, open);
    push(field, referenceParts(model, field, target.key.parts!));
  };
  for (const model of skeletons.values()) joinKey(model, []);
  for (const model of skeletons.values())
    for (const { field } of model.relations) if (field.parts !== undefined) joinReference(model, field, []);
}

/** Until all models are known, fields are being put together. */
const push = ({ parts }: Field, found: readonly Field[]): void => void (parts as Field[]).push(...found);

function referenceParts({ draft, relations }: Skeleton, field: Field, parts: readonly Field[]): Field[] {
  const { name } = relations.find((one) => one.field === field)!;
  const declared = draft.declaration.relations?.[name]?.columns;
  const columns = declared !== undefined && 'length' in declared ? declared : undefined;
  if (columns !== undefined && columns.length !== parts.length) {
    const wanted = parts.map(({ member }) => member).join(', ');
    const message = `the key of ${field.refersTo} is put together of ${parts.length} columns`;
    draft.report.error('wrong-relation', message, `name as many: ${wanted}`, ['relations', name, 'columns']);
  }
  const { member, rules, refersTo } = field;
  return parts.map((part, at): Field => ({
    member: `${member}.${part.member}`,
    column: columns?.[at] ?? `${underscored(name)}_${part.column}`,
    type: part.type,
    scale: part.scale,
    origin: 'relation',
    refersTo,
    partOf: { member, at },
    examples: [],
    rules,
  }));
}
