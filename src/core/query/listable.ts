import { LIST_PARAMETERS } from '../api/parameters.ts';
import type { Field } from '../model/field.ts';
import type { Model } from '../model/model.ts';
import { isScalar } from '../model/types.ts';

/** The fields that a list can be narrowed by as `?field=value`, where nothing is hidden. */
export const filterable = (model: Model): Field[] =>
  model.shown.filter((field) => isScalar(field.type) && !(LIST_PARAMETERS as readonly string[]).includes(field.member));

/** The computed values that it can be narrowed by in the same way, as fields. */
export const filterableComputed = (model: Model): Field[] =>
  model.computed
    .filter(({ type, member }) => isScalar(type) && !(LIST_PARAMETERS as readonly string[]).includes(member))
    .map((computed) => ({ ...computed, column: '', origin: 'field' }));

/** The names of the fields and computed values that a list can be sorted by. */
export const sortable = (model: Model): string[] =>
  [...model.shown, ...model.computed]
    .filter(({ type, parts }) => isScalar(type) && parts === undefined)
    .map(({ member }) => member);
