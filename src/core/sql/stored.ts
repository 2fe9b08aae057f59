import { kindOf } from '../model/expression.ts';
import type { Field } from '../model/field.ts';
import { keyFields } from '../model/joined-key.ts';
import type { Dialect } from './dialect.ts';
import type { Form } from './form.ts';

/** What columns are spelled with. */
export type Spelled = Pick<Dialect, 'forms' | 'name' | 'joinedKey'>;

const formOf = ({ forms }: Spelled, { stored }: Field): Form | undefined =>
  stored?.form === undefined ? undefined : forms.get(stored.form);

const columnIn = ({ name }: Spelled, { column }: Field, row: string | undefined): string =>
  row === undefined ? name(column) : `${row}.${name(column)}`;

/** The value of a field, as its type has it. `row` is the quoted name of what its table is called, if it is needed. */
export function columnValue(dialect: Spelled, field: Field, row?: string): string {
  if (field.parts !== undefined) {
    const texts = field.parts.map((part) => ({
      sql: columnValue(dialect, part, row),
      isText: part.type === 'string' || part.type === 'email',
    }));
    return dialect.joinedKey(texts);
  }
  const column = columnIn(dialect, field, row);
  return formOf(dialect, field)?.read(column, field) ?? column;
}

/** The column of a key or of a reference to one, as it is compared with others of its kind. */
export const keyColumn = (dialect: Spelled, field: Field, row?: string): string =>
  field.parts === undefined ? columnIn(dialect, field, row) : columnValue(dialect, field, row);

/** What rows are sorted by so that each has its place: the columns of a key. */
export const keyOrder = (dialect: Spelled, model: { readonly key: Field }, row?: string): string =>
  keyFields(model)
    .map((field) => columnIn(dialect, field, row))
    .join(', ');

/** What stands for a field where its values are sorted, and compared with `comparable` ones. */
export function sortable(dialect: Spelled, field: Field, row?: string): string {
  return formOf(dialect, field)?.ordered === true ? columnIn(dialect, field, row) : columnValue(dialect, field, row);
}

/** The value of a field where `sql` is what it is sorted by. */
export function valueOfSortable(dialect: Spelled, field: Field, sql: string): string {
  const form = formOf(dialect, field);
  return form?.ordered === true ? form.read(sql, field) : sql;
}

/** A placeholder of a value that is compared with what a field is sorted by. */
export function comparable(dialect: Spelled & Pick<Dialect, 'typed'>, field: Field, placeholder: string): string {
  const form = formOf(dialect, field);
  return form?.ordered === true ? form.write(placeholder, field) : dialect.typed(field, placeholder);
}

/** A value of a field, as its column takes it. */
export const kept = (dialect: Spelled, field: Field, value: string): string =>
  formOf(dialect, field)?.write(value, field) ?? value;

/** The condition that a row has a value of a field, as of its key: `placeholder` is that of the value. */
export function fieldIs(dialect: Dialect, field: Field, placeholder: string, row?: string): string {
  if (field.parts === undefined) return `${sortable(dialect, field, row)} = ${comparable(dialect, field, placeholder)}`;
  // The columns themselves are compared, so that their index serves.
  const values = dialect.expressions.parameter({ kind: 'json', scale: 0 }, placeholder);
  return field.parts
    .map((part, at) => {
      const value = dialect.expressions.inside(values, [String(at)], kindOf(part));
      return `${sortable(dialect, part, row)} = ${comparable(dialect, part, value)}`;
    })
    .join(' AND ');
}

/** The condition that a row has one of some values of a field. */
export function fieldIsAmong(dialect: Dialect, field: Field, placeholders: readonly string[], row?: string): string {
  if (placeholders.length === 1) return fieldIs(dialect, field, placeholders[0]!, row);
  if (field.parts !== undefined)
    return `(${placeholders.map((one) => `(${fieldIs(dialect, field, one, row)})`).join(' OR ')})`;
  const wanted = placeholders.map((one) => comparable(dialect, field, one));
  return `${sortable(dialect, field, row)} IN (${wanted.join(', ')})`;
}

/** The condition that a row has the key that a column of texts holds. */
export function keyIsText(dialect: Dialect, key: Field, text: string, row: string): string {
  const own = columnValue(dialect, key, row);
  // Of several values, the text is compared, not the columns: it may be that of a key of another time.
  return `${own} = ${key.parts === undefined ? dialect.expressions.keyOfText(kindOf(key), text) : text}`;
}
