import type { ValueSpec } from '../model/field.ts';

/** A member of an object: its name, whether it may be left out, and its type. */
export interface Member {
  readonly name: string;
  readonly type: string;
  readonly optional?: boolean;
  readonly about?: string | undefined;
  readonly deprecated?: boolean | undefined;
}

/** On the side of requests a decimal may be a number too, and what has a default may be left out. */
export type TypeSide = 'request' | 'response';

export const indented = (lines: readonly string[], by: number): string[] => lines.map((line) => ' '.repeat(by) + line);

/** A text as TypeScript has it. */
export const literal = (value: unknown): string =>
  typeof value === 'string'
    ? `'${JSON.stringify(value).slice(1, -1).replaceAll('\\"', '"').replaceAll("'", "\\'")}'`
    : JSON.stringify(value);

/** A name of a member, in quotes where it needs them. */
export const memberName = (name: string): string => (/^[A-Za-z_$][\w$]*$/.test(name) ? name : literal(name));

/** A description as a comment. */
export function remark(about: string | undefined, deprecated: boolean | undefined): string[] {
  const words = [about, deprecated === true ? '@deprecated' : undefined].filter((one) => one !== undefined).join(' ');
  return words === '' ? [] : [`/** ${words.replaceAll('*/', '* /').replaceAll(/\s+/g, ' ').trim()} */`];
}

/** The lines of the members of an object type, its braces left out. */
export const memberLines = (members: readonly Member[]): string[] =>
  members.flatMap(({ name, type, optional = false, about, deprecated }) => [
    ...remark(about, deprecated),
    `${memberName(name)}${optional ? '?' : ''}: ${type};`,
  ]);

/** The type of a value that may be null where nothing says otherwise. */
export const memberType = (spec: ValueSpec, side: TypeSide): string =>
  spec.rules.required ? typeOf(spec, side) : `${typeOf(spec, side)} | null`;

export const listed = (type: string): string => (type.includes('|') ? `(${type})` : type);

export function typeOf(spec: ValueSpec, side: TypeSide): string {
  const { rules } = spec;
  if (rules.const !== undefined) return literal(rules.const);
  if (rules.enum !== undefined) return rules.enum.map(literal).join(' | ');
  switch (spec.type) {
    case 'integer':
    case 'number':
      return 'number';
    case 'boolean':
      return 'boolean';
    case 'json':
      return 'unknown';
    case 'decimal':
      return side === 'request' ? 'string | number' : 'string';
    case 'array':
      return `${listed(typeOf(spec.items!, side))}[]`;
    case 'object': {
      const members = [...spec.properties!].map(([name, property]) => {
        const { required, default: usual } = property.rules;
        const isThere = side === 'request' ? required && usual === undefined : required || usual !== undefined;
        return `${memberName(name)}${isThere ? '' : '?'}: ${memberType(property, side)}`;
      });
      return members.length === 0 ? 'Record<string, never>' : `{ ${members.join('; ')} }`;
    }
    default:
      return 'string';
  }
}
