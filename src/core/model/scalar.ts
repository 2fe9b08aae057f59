/** A single value, as in JSON. Decimals and dates are text. */
export type Scalar = string | number | boolean | null;

/** A value as in JSON. */
export type FieldValue = Scalar | readonly FieldValue[] | { readonly [member: string]: FieldValue };
