import type { TypeName } from '../../../src/core/model/types.ts';

/** A type that a column may have, as the tests change it. */
export interface Kind {
  readonly type: TypeName;
  readonly scale: number;
}

const kind = (type: TypeName, scale = 0): Kind => ({ type, scale });

export const kinds: readonly Kind[] = [
  kind('string'),
  kind('text'),
  kind('integer'),
  kind('number'),
  kind('boolean'),
  ...[0, 2, 4, 12].map((scale) => kind('decimal', scale)),
  kind('date'),
  kind('time'),
  kind('date-time'),
  kind('uuid'),
  kind('email'),
];

const UUID = '018f3a1e-7c5e-4d8a-9b1f-0123456789ab';

/** Texts that look like something else, or nearly. */
// prettier-ignore
const TEXTS = [
  '12', '12 ', ' 12', '12\n', '12.5', '12.5 ', '12.50', '12.345', '0047', '00.5', '-0', '-0.00', '0', '-1', '+5', '--5', '1.2.3',
  '1e3', '1E3', '.5', '5.', '-', '', ' ', 'é', '１２', '0x1F', '1_000', 'NaN', 'Infinity', '0.1', '0.10', '0.0001', '0.00001',
  '99999999999999999999', '9007199254740991', '9007199254740992', '-9007199254740991', '-9007199254740993',
  '123456789012345678', '1234567890123456', '123456789012345', '-123456789012345.25', '0.30000000000000004',
  '999999.999999999999', '9999999.999999999999', '99999999999999.9999', '9999999999999999.99',
  'true', 'TRUE', 'false', 't', '1',
  '2023-02-30', '2024-02-29', '1900-02-29', '0000-01-01', '0001-01-01', '9999-12-31', '2026-06-12', '2026-6-12', '2026-13-01', '2026-04-31', '2026-06-00',
  '23:59:59.9999', '23:59:59.999', '24:00:00', '10:00:00', '10:00:00.5', '10:00:00.000', '10:00:60', '10:60:00', '10:00', '23:59:59.9999Z',
  '2026-06-12T23:59:59.9999Z', '2026-06-12T23:59:59.999Z', '2026-06-12T14:30:00+02:00', '2026-06-12T14:30:00.5-09:30', '2023-02-30T10:00:00Z',
  '2026-06-12 10:00:00', '2026-06-12T10:00:00', '2026-06-12T24:00:00Z', '2026-06-12T10:00:00.Z', '0001-01-01T00:00:00+01:00', '0001-01-01T00:00:00Z', '9999-12-31T23:59:59-01:00', '9999-12-31T23:59:59Z',
  UUID, UUID.toUpperCase(), UUID.replaceAll('-', ''), `{${UUID}}`, 'someone@fell.example',
];

// prettier-ignore
const NUMBERS = [
  0, 1, -1, 0.5, 12.5, 12.345, 0.1, 0.1 + 0.2, 1e-5, 1e-7, 1e15, 1e16, 1e20, 1e21, -1e22, 1e300, 5e-324, 2 ** 53 - 1, 2 ** 53, -(2 ** 53), 123456789012345.6,
  1234567890123.25, 99999.99999999999, 1.7976931348623157e308, 4503599627370497, 0.000001, 1 / 3, 100, 1e14,
];

// prettier-ignore
const INTEGERS = [0, 1, -1, 2, 47, 1e15, -1e15, 2 ** 53 - 1, -(2 ** 53) + 1, 999_999, 1_000_000, 99_999_999_999_999];

const DECIMALS = ['0', '1', '-1', '0.5', '12.5', '12.34', '12.345', '-0.0001', '0.000000000001', '123456', '1234567', '123456789012', '123456789012345', '123456789012345678', '-999999999999999999', '1234567890123.5', '90071992547409.91', '9007199254740991', '9007199254740993', '1000000000000000', '100000000000000000', '99999999999999.99']; // prettier-ignore

const INSTANTS = ['2026-06-12T00:00:00.000Z', '2026-06-12T10:00:00.000Z', '0001-01-01T00:00:00.000Z', '9999-12-31T23:59:59.999Z', '2026-06-12T00:00:00.001Z']; // prettier-ignore

/** Values of a type that a service may have stored, from its edges above all. */
export function nastyValues({ type, scale }: Kind): readonly (string | number | boolean)[] {
  switch (type) {
    case 'integer':
      return INTEGERS;
    case 'number':
      return NUMBERS;
    case 'boolean':
      return [true, false];
    case 'decimal':
      return DECIMALS.flatMap((text) => {
        const [whole = '', after = ''] = text.split('.');
        const fits = after.length <= scale && whole.replace('-', '').length + scale <= 18;
        return fits ? [scale === 0 ? whole : `${whole}.${after.padEnd(scale, '0')}`] : [];
      });
    case 'date':
      return ['2026-06-12', '2024-02-29', '0001-01-01', '9999-12-31'];
    case 'time':
      return ['10:00:00', '10:00:00.500', '23:59:59.999', '00:00:00'];
    case 'date-time':
      return INSTANTS;
    case 'uuid':
      return [UUID];
    default:
      return TEXTS;
  }
}
