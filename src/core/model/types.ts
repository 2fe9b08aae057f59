/** The types that a field may have. */
export const typeNames = [
  'string',
  'text',
  'integer',
  'number',
  'boolean',
  'decimal',
  'date',
  'time',
  'date-time',
  'uuid',
  'email',
  'uri',
] as const;

export type TypeName = (typeof typeNames)[number];

const WRITTEN: readonly TypeName[] = ['string', 'text', 'email', 'uri'];
const COUNTED: readonly TypeName[] = ['integer', 'number', 'decimal'];

const COMPARED: readonly TypeName[] = typeNames.filter((type) => type !== 'boolean');

/** The rules that make sense for some types only. Any other rule goes with every type. */
export const typesOfRule: Readonly<Record<string, readonly TypeName[]>> = {
  minLength: WRITTEN,
  maxLength: WRITTEN,
  pattern: WRITTEN,
  trim: WRITTEN,
  letters: WRITTEN,
  minimum: COUNTED,
  maximum: COUNTED,
  exclusiveMinimum: COUNTED,
  exclusiveMaximum: COUNTED,
  multipleOf: COUNTED,
  scale: ['decimal'],
  enum: COMPARED,
};

export const isWritten = (type: TypeName): boolean => WRITTEN.includes(type);
