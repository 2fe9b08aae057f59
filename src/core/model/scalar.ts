/** A value that is one thing, as it stands in JSON. Decimals and dates are text. */
export type Scalar = string | number | boolean | null;

/** A value as it stands in JSON. */
export type FieldValue = Scalar | readonly FieldValue[] | { readonly [member: string]: FieldValue };
