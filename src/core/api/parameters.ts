/** Parameters of a list; a field of such a name cannot be filtered as `?name=value`. */
export const LIST_PARAMETERS = [
  'after',
  'before',
  'fields',
  'filter',
  'filter-lang',
  'include',
  'limit',
  'offset',
  'sort',
  'total',
  'view',
] as const;

/** The parameters for the members that an answer shows. */
export const projectionParameters = ['view', 'fields', 'include'] as const;

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
  ...projectionParameters,
] as const;

/** The encodings of CQL2 for filters; the first is the default. */
export const filterLanguages = ['cql2-text', 'cql2-json'] as const;
