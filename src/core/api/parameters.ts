/** Parameters of a list; a field of such a name cannot be filtered as `?name=value`. */
export const LIST_PARAMETERS = [
  'after',
  'before',
  'etags',
  'fields',
  'filter',
  'filter-lang',
  'include',
  'limit',
  'may',
  'offset',
  'sort',
  'total',
  'view',
] as const;

/** The parameters for the members that an answer shows. */
export const projectionParameters = ['view', 'fields', 'include', 'may'] as const;

/** The parameters whose entries are separated by commas; given again, they have further entries. */
export const repeatableParameters: ReadonlySet<string> = new Set(['sort', 'fields', 'include']);

export type ProjectionParameters = Readonly<Partial<Record<(typeof projectionParameters)[number], string | undefined>>>;

/** The parameters that lists of this version take, beside `<field>=value`. */
export const listParameters = [
  'filter',
  'filter-lang',
  'sort',
  'limit',
  'after',
  'before',
  'offset',
  'total',
  'etags',
  ...projectionParameters,
] as const;

/** Those that journals take beside. */
export const journalParameters = ['labels'] as const;

/** The encodings of CQL2 for filters; the first is the default. */
export const filterLanguages = ['cql2-text', 'cql2-json'] as const;

/**
 * Words of the OpenAPI document for the schemas that records have in other views, by their names, and with `fields`:
 * the standard has none for what depends on a parameter.
 */
export const VIEWS = 'x-views';
export const FIELDS = 'x-fields';
