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
  'json',
  'array',
  'object',
  'secret',
] as const;

export type TypeName = (typeof typeNames)[number];

/** Text of people, which is kept as it is. */
export const TEXTUAL: readonly TypeName[] = ['string', 'text', 'email', 'uri'];
const WRITTEN: readonly TypeName[] = [...TEXTUAL, 'secret'];
export const COUNTED: readonly TypeName[] = ['integer', 'number', 'decimal'];
const SCALAR: readonly TypeName[] = typeNames.filter((type) => !['json', 'array', 'object', 'secret'].includes(type));

/** The rules that make sense for some types only. Any other rule goes with every type. */
export const typesOfRule: Readonly<Record<string, readonly TypeName[]>> = {
  minLength: WRITTEN,
  maxLength: WRITTEN,
  pattern: WRITTEN,
  format: ['string', 'text'],
  trim: TEXTUAL,
  letters: TEXTUAL,
  minimum: COUNTED,
  maximum: COUNTED,
  exclusiveMinimum: COUNTED,
  exclusiveMaximum: COUNTED,
  multipleOf: COUNTED,
  scale: ['decimal'],
  enum: SCALAR.filter((type) => type !== 'boolean'),
  const: typeNames.filter((type) => type !== 'secret'),
  default: typeNames.filter((type) => type !== 'secret'),
  examples: typeNames.filter((type) => type !== 'secret'),
  items: ['array'],
  minItems: ['array'],
  maxItems: ['array'],
  uniqueItems: ['array'],
  properties: ['object'],
  unique: SCALAR,
  from: ['string'],
};

/** Whether values of this type are text that people write. */
export const isWritten = (type: TypeName): boolean => WRITTEN.includes(type);

/** Whether a value of this type is a single value, which can be compared, sorted by and filtered. */
export const isScalar = (type: TypeName): boolean => SCALAR.includes(type);

/** Whether a value of this type may hold others; a database keeps it as JSON. */
export const isNested = (type: TypeName): boolean => type === 'json' || type === 'array' || type === 'object';
