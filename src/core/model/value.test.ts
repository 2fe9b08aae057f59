import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { compareDecimals, decimalOfNumber, formatDecimal, parseDecimal, rescale } from '../text/decimal.ts';
import { noRules } from './field.ts';
import type { Field } from './field.ts';
import type { TypeName } from './types.ts';
import { canonical, fromText } from './value.ts';

const field = (type: TypeName, scale = 2): Field => ({
  member: 'x',
  column: 'x',
  type,
  scale,
  origin: 'field',
  examples: [],
  rules: noRules,
});

describe('canonical', () => {
  test.each<[TypeName, unknown, unknown]>([
    ['string', 'Å', 'Å'],
    ['integer', 9007199254740991, 9007199254740991],
    ['integer', -0, 0],
    ['number', 0.1, 0.1],
    ['decimal', '12.5', '12.50'],
    ['decimal', 12.5, '12.50'],
    ['decimal', '-0.010', '-0.01'],
    ['decimal', '-0', '0.00'],
    ['date', '2024-02-29', '2024-02-29'],
    ['time', '23:59:59.5', '23:59:59.500'],
    ['time', '14:30:00.000', '14:30:00'],
    ['date-time', '2026-06-12T14:30:00+02:00', '2026-06-12T12:30:00.000Z'],
    ['date-time', '2026-06-12t14:30:00.5z', '2026-06-12T14:30:00.500Z'],
    ['uuid', '019B76DA-A800-7000-8000-000000000000', '019b76da-a800-7000-8000-000000000000'],
    ['email', 'ines@fellhuts.example', 'ines@fellhuts.example'],
    ['uri', 'https://huts.example/a?b#c', 'https://huts.example/a?b#c'],
    ['boolean', false, false],
  ])('%s %j is kept as %j', (type, given, kept) => {
    expect(canonical(field(type), given)).toEqual({ value: kept });
  });

  test.each<[TypeName, unknown, string]>([
    ['string', 1, 'type'],
    ['string', 'a\0b', 'type'],
    ['string', '\ud800', 'type'],
    ['integer', 1.5, 'type'],
    ['integer', 9007199254740992, 'type'],
    ['integer', '1', 'type'],
    ['number', Infinity, 'type'],
    ['boolean', 'true', 'type'],
    ['decimal', '1.005', 'scale'],
    ['decimal', '1e3', 'type'],
    ['decimal', '1'.repeat(17), 'type'],
    ['date', '2026-02-30', 'format'],
    ['date', '2023-02-29', 'format'],
    ['date', '0000-01-01', 'format'],
    ['date', '26-1-1', 'format'],
    ['time', '24:00:00', 'format'],
    ['time', '12:00:00.0001', 'format'],
    ['date-time', '2026-06-12T14:30:00', 'format'],
    ['date-time', '2026-06-12T14:30:00.1234Z', 'format'],
    ['date-time', '0001-01-01T00:00:00+14:00', 'format'],
    ['uuid', 'x', 'format'],
    ['email', 'a b@huts.example', 'format'],
    ['uri', '/huts', 'format'],
    ['uri', 'a:?', 'format'],
    ['uri', 'https://huts.example/a b', 'format'],
    ['uri', 'https://huts.example/%4', 'format'],
    ['date', 20260612, 'type'],
  ])('%s %j breaks %s', (type, given, rule) => {
    expect(canonical(field(type), given)).toMatchObject({ fault: { rule } });
  });

  test('a canonical value is its own canonical form', () => {
    const anyValue = fc.oneof(
      fc.string(),
      fc.double(),
      fc.integer(),
      fc.date({ noInvalidDate: true }).map((date) => date.toISOString()),
    );
    const types: TypeName[] = ['string', 'number', 'integer', 'decimal', 'date-time', 'time', 'date', 'uri', 'email'];
    fc.assert(
      fc.property(fc.constantFrom(...types), anyValue, (type, value) => {
        const once = canonical(field(type), value);
        if ('value' in once) expect(canonical(field(type), once.value)).toEqual(once);
      }),
    );
  });

  test('text of a query is read into its type, and nothing else is', () => {
    expect(fromText(field('integer'), '12')).toEqual({ value: 12 });
    expect(fromText(field('boolean'), 'true')).toEqual({ value: true });
    expect(fromText(field('number'), '-1.5e3')).toEqual({ value: -1500 });
    for (const [type, text] of [
      ['integer', '1.0'],
      ['integer', ''],
      ['integer', '0x1'],
      ['boolean', '1'],
      ['number', 'NaN'],
      ['number', '1e999'],
    ] as const) {
      expect(fromText(field(type), text)).toHaveProperty('fault');
    }
  });
});

describe('decimals', () => {
  const decimals = fc.record({
    digits: fc.bigInt({ min: -(10n ** 18n), max: 10n ** 18n }),
    scale: fc.integer({ min: 0, max: 12 }),
  });

  test('are read back as they were written, and lose no digit', () => {
    fc.assert(
      fc.property(decimals, (value) => {
        expect(parseDecimal(formatDecimal(value))).toEqual(value);
        expect(rescale(rescale(value, value.scale + 3)!, value.scale)).toEqual(value);
      }),
    );
    expect(rescale({ digits: 125n, scale: 2 }, 1)).toBeUndefined();
  });

  test('compare as numbers do, and numbers of a declaration are what their author wrote', () => {
    fc.assert(
      fc.property(fc.integer({ min: -9999, max: 9999 }), fc.integer({ min: -9999, max: 9999 }), (one, other) => {
        const compared = compareDecimals(
          parseDecimal((one / 100).toFixed(2))!,
          parseDecimal((other / 100).toFixed(2))!,
        );
        expect(compared).toBe(Math.sign(one - other));
      }),
    );
    expect(formatDecimal(decimalOfNumber(1e-7))).toBe('0.0000001');
    expect(formatDecimal(decimalOfNumber(2e21))).toBe('2000000000000000000000');
  });
});
