import { own } from '../text/own.ts';
import { fullFormats } from 'ajv-formats/dist/formats.js';

/**
 * The formats of JSON Schema 2020-12 that a text can be held to; those that are types of their own are left to them.
 */
export const formatNames = [
  'duration',
  'hostname',
  'ipv4',
  'ipv6',
  'json-pointer',
  'regex',
  'uri-reference',
  'uri-template',
] as const;

/** Whether a text has the form. */
export function hasFormat(name: string, text: string): boolean {
  const format = own(fullFormats as Readonly<Record<string, unknown>>, name);
  if (format instanceof RegExp) return format.test(text);
  if (typeof format === 'function') return (format as (text: string) => boolean)(text);
  throw new Error(`there is no format ${name}`);
}
