import type { Form, FormedField, Forms } from '../../core/sql/form.ts';
import type { Column } from '../../core/tables/table.ts';

const formOf = ({ found }: Column, forms: Forms): Form | undefined =>
  found?.form === undefined ? undefined : forms.get(found.form);

const asField = ({ scale, found }: Column): FormedField => ({
  scale,
  stored: { type: found!.type.replace(/ COLLATE .*$/, '') },
});

/** A value of a column as one of the tool's own would hold it, whatever form it was found in. */
export const readFound = (column: Column, x: string, forms: Forms): string =>
  formOf(column, forms)?.read(x, asField(column)) ?? x;

/** Such a value in the form of the column. */
export const asFound = (column: Column, value: string, forms: Forms): string =>
  formOf(column, forms)?.write(`(${value})`, asField(column)) ?? value;

/** Whether the values of a column change their form, whatever else becomes of them. */
export const hasOtherForm = (before: Column, after: Column): boolean => before.found?.form !== after.found?.form;
