import { didYouMean, nearest } from '../text/nearest.ts';
import { describe, isRecord } from '../text/value.ts';
import type { Declared, Path } from './declared.ts';
import type { ProblemCode } from './problem-codes.ts';
import type { Problem } from './problem.ts';
import type { Shape } from './shape.ts';

/** A document checked against a shape: its problems, and the sound part of its value. */
export interface Held {
  readonly problems: Problem[];
  /** Without unknown keys; wherever a value is wrong, there is undefined. */
  readonly sound: unknown;
}

/** What a walk over one document reports to. */
interface ShapeCheck {
  readonly problems: Problem[];
  readonly declared: Declared;
}

export function checkShape(declared: Declared, shape: Shape): Held {
  const problems: Problem[] = [];
  const check: ShapeCheck = { problems, declared };
  return { sound: walk(check, declared.value, shape, []), problems };
}

function complain(
  { problems, declared }: ShapeCheck,
  code: ProblemCode,
  message: string,
  remedy: string,
  path: Path,
  part: 'key' | 'value',
): undefined {
  problems.push({ code, severity: 'error', message, remedy, place: declared.at(path, part) });
}

function wrongKind(check: ShapeCheck, value: unknown, wanted: string, path: Path): undefined {
  const inList = typeof path.at(-1) === 'number' ? 'an entry of ' : '';
  const where = path.length === 0 ? 'this file' : inList + called(path);
  return complain(
    check,
    'wrong-kind',
    `${where} must be ${wanted}, got ${describe(value)}`,
    `write ${wanted}`,
    path,
    'value',
  );
}

function walk(check: ShapeCheck, value: unknown, shape: Shape, path: Path): unknown {
  switch (shape.kind) {
    case 'constant':
      return value;
    case 'flag':
      return typeof value === 'boolean' ? value : wrongKind(check, value, 'true or false', path);
    case 'number': {
      const whole = shape.integer === true;
      if (typeof value !== 'number' || (whole && !Number.isSafeInteger(value))) {
        return wrongKind(check, value, whole ? 'a whole number' : 'a number', path);
      }
      const least = shape.least ?? value;
      return value >= least ? value : wrongKind(check, value, `${least} or more`, path);
    }
    case 'text': {
      const fitting = typeof value === 'string' && shape.pattern?.test(value) !== false;
      return fitting ? value : wrongKind(check, value, shape.hint ?? 'text', path);
    }
    case 'word': {
      if (typeof value === 'string' && shape.of.includes(value)) return value;
      const remedy = typeof value === 'string' ? didYouMean(value, shape.of) : `known: ${shape.of.join(', ')}`;
      const verb = typeof path.at(-1) === 'number' ? 'hold' : 'be';
      complain(check, 'unknown-word', `${called(path)} can not ${verb} ${describe(value)}`, remedy, path, 'value');
      // One mistake is one error: what follows is checked as if the word had been meant.
      return typeof value === 'string' ? nearest(value, shape.of) : undefined;
    }
    case 'list': {
      const fitting = Array.isArray(value) && value.length >= (shape.least ?? 0);
      if (!fitting) return wrongKind(check, value, listText(shape.least), path);
      return value
        .map((item, index) => walk(check, item, shape.of, [...path, index]))
        .filter((item) => item !== undefined);
    }
    case 'map':
      return walkMap(check, value, shape, path);
    case 'entries':
      return walkEntries(check, value, shape, path);
    case 'either': {
      const fitting = shape.of.find((option) => fits(value, option));
      return fitting === undefined ? wrongKind(check, value, shape.hint, path) : walk(check, value, fitting, path);
    }
    case 'named':
      return walk(check, value, shape.of(), path);
  }
}

function walkMap(check: ShapeCheck, value: unknown, shape: Shape & { kind: 'map' }, path: Path): unknown {
  if (!isRecord(value)) return wrongKind(check, value, 'a map of names', path);
  const sound: [string, unknown][] = [];
  for (const [name, item] of Object.entries(value)) {
    const at = [...path, name];
    if (isInherited(name)) refuseInherited(check, name, at);
    else if (!shape.names.test(name))
      complain(check, 'bad-name', `${name} can not be a name here`, shape.hint, at, 'key');
    else sound.push([name, walk(check, item, shape.of, at)]);
  }
  return Object.fromEntries(sound);
}

function refuseInherited(check: ShapeCheck, name: string, path: Path): void {
  complain(
    check,
    'reserved-name',
    `\`${name}\` means something else in JavaScript`,
    'choose another name',
    path,
    'key',
  );
}

function walkEntries(check: ShapeCheck, value: unknown, shape: Shape & { kind: 'entries' }, path: Path): unknown {
  if (!isRecord(value)) return wrongKind(check, value, `a map that describes ${shape.what}`, path);
  const sound: [string, unknown][] = [];
  for (const [key, item] of Object.entries(value)) {
    const entry = Object.hasOwn(shape.entries, key) ? shape.entries[key] : undefined;
    const at = [...path, key];
    if (entry !== undefined) sound.push([key, walk(check, item, entry.shape, at)]);
    else if (shape.others !== undefined && isInherited(key)) refuseInherited(check, key, at);
    else if (shape.others?.names.test(key) === true) sound.push([key, walk(check, item, shape.others.shape, at)]);
    else {
      // As in { value: count(stays, stays.party > 2) }: YAML takes what follows the comma for another key.
      const isCut = item === null && key.includes(')');
      complain(
        check,
        'unknown-key',
        `${shape.what} has no \`${key}\``,
        isCut ? 'put the text with the comma in quotes' : didYouMean(key, Object.keys(shape.entries)),
        at,
        'key',
      );
    }
  }
  for (const [key, entry] of Object.entries(shape.entries)) {
    if (entry.required === true && !Object.hasOwn(value, key)) {
      complain(check, 'missing-key', `${shape.what} needs \`${key}\``, `write ${key}: ${entry.about}`, path, 'key');
    }
  }
  return Object.fromEntries(sound);
}

/** Whether every object has a member of this name. */
const isInherited = (name: string): boolean => name in Object.prototype;

/** The name of an entry; an entry of a list goes by the list's. */
const called = (path: Path): string => `\`${path.findLast((step) => typeof step === 'string') ?? ''}\``;

/** Whether a value is of a shape's outer kind, which is enough to choose between alternatives. */
export function fits(value: unknown, shape: Shape): boolean {
  switch (shape.kind) {
    case 'text':
    case 'word':
      return typeof value === 'string';
    case 'number':
      return typeof value === 'number';
    case 'flag':
      return typeof value === 'boolean';
    case 'list':
      return Array.isArray(value);
    case 'map':
    case 'entries':
      return isRecord(value);
    case 'constant':
      return true;
    case 'either':
      return shape.of.some((option) => fits(value, option));
    case 'named':
      return fits(value, shape.of());
  }
}

const listText = (least = 0): string =>
  least === 0 ? 'a list' : `a list with at least ${least === 1 ? 'one entry' : `${least} entries`}`;
