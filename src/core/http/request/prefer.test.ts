import { expect, test } from '@jest/globals';
import { preferredReturn } from './prefer.ts';

test.each<[string | undefined, string | undefined]>([
  [undefined, undefined],
  ['', undefined],
  ['return=minimal', 'minimal'],
  ['Return = "Representation"', 'representation'],
  ['respond-async, wait=10, return=minimal; x=1', 'minimal'],
  ['return=minimal, return=representation', 'minimal'],
  ['return=minimalist', undefined],
  ['noreturn=minimal', undefined],
])('Prefer: %s means %s', (prefer, wanted) => {
  expect(preferredReturn({ method: 'POST', target: '/', headers: { prefer } })).toBe(wanted);
});
