/** The most records that one request may create. */
export const MOST_AT_ONCE = 10_000;

/** Steps of one patch. */
export const MOST_STEPS = 1_000;
