import { writtenNumber } from './exact-number.ts';

export const isRecord = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** A value as a message shows it: short, and with text in quotes. */
export function describe(value: unknown): string {
  if (value === undefined) return 'nothing';
  if (Array.isArray(value)) return value.length === 0 ? 'an empty list' : 'a list';
  if (isRecord(value)) return 'a map';
  const shown = typeof value === 'string' ? `"${value}"` : JSON.stringify(value);
  return shown.length > 60 ? `${shown.slice(0, 57)}…` : shown;
}

/** A value as an error shows it. */
export function quoted(value: unknown): string {
  const digits = writtenNumber(value);
  return shortened(
    digits ?? JSON.stringify(value, (_name, inner) => writtenNumber(inner) ?? (inner as unknown)) ?? 'nothing',
  );
}

export const shortened = (text: string): string => (text.length > 60 ? `${text.slice(0, 57)}…` : text);
