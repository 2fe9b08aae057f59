/** So many records may be made by one request. */
export const MOST_AT_ONCE = 10_000;

/** Steps of one patch. */
export const MOST_STEPS = 1_000;
