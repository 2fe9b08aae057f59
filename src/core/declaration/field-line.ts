import { didYouMean } from '../text/nearest.ts';
import { fieldEntries } from './model-shape.ts';
import { typeNames } from '../model/types.ts';

/** A field, or a relation to another model, as one line declares it. */
export interface FieldLine {
  readonly name: string;
  /** The entry under `fields`. */
  readonly field?: Readonly<Record<string, unknown>>;
  /** The entry under `relations`. */
  readonly relation?: Readonly<Record<string, unknown>>;
}

/** Why a line is none, and what to do. */
export class BadLine extends Error {
  readonly remedy: string;

  constructor(message: string, remedy: string) {
    super(message);
    this.name = 'BadLine';
    this.remedy = remedy;
  }
}

const FORM = 'write it as "name: type, rule, rule value", like "beds: integer, required, minimum 1"';
const CHOICE = /^enum\s+(.+)$/;

/**
 * Reads `beds: integer, required, minimum 1`, `kind: enum green | black, default green`, or, with the name of a model
 * for the type, `warden: member, required`. Whether the values suit the type is the checker's to say. Throws
 * `BadLine`.
 */
export function readFieldLine(line: string, models: readonly string[]): FieldLine {
  const [, name, rest] = /^\s*([^:\s]+)\s*:\s*(\S.*?)\s*$/.exec(line) ?? [];
  if (name === undefined) throw new BadLine(`"${line}" is no field`, FORM);
  const [type = '', ...rules] = rest!.split(',').map((part) => part.trim());
  const given = Object.fromEntries(rules.map(ruleOf));
  if (models.includes(type)) return { name, relation: { to: type, ...given } };
  const choices = CHOICE.exec(type)?.[1];
  if (choices !== undefined)
    return { name, field: { enum: choices.split('|').map((choice) => valueOf(choice.trim())), ...given } };
  if ((typeNames as readonly string[]).includes(type)) return { name, field: { type, ...given } };
  throw new BadLine(`there is no type ${type}`, didYouMean(type, [...typeNames, 'enum', ...models]));
}

function ruleOf(text: string): [string, unknown] {
  const [, rule, value] = /^([A-Za-z]+)(?:\s*[\s=:]\s*(.+))?$/.exec(text) ?? [];
  if (rule === undefined) throw new BadLine(`"${text}" is no rule`, FORM);
  if (!Object.hasOwn(fieldEntries, rule) && rule !== 'onDelete')
    throw new BadLine(`there is no rule ${rule}`, didYouMean(rule, Object.keys(fieldEntries)));
  return [rule, value === undefined ? true : valueOf(value)];
}

/** A number, true or false where it looks like one; else the text itself. */
const valueOf = (text: string): string | number | boolean =>
  /^-?(0|[1-9]\d*)(\.\d+)?$/.test(text)
    ? Number(text)
    : text === 'true' || text === 'false'
      ? text === 'true'
      : text.replace(/^(['"])(.*)\1$/, '$2');
