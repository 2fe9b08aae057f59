import { brokenRules } from '../../api/problems.ts';
import { noRules } from '../../model/field.ts';
import type { ValueSpec } from '../../model/field.ts';
import { valueReader } from '../../rules/schema.ts';

/** Reads a body of texts by their names, all of them needed. No answer repeats those that are secret. */
export function textsOf<Name extends string>(
  shown: readonly Name[],
  secret: readonly Name[],
): (body: unknown) => Readonly<Record<Name, string>> {
  const text = { type: 'string', scale: 0, examples: [], rules: { ...noRules, required: true } } as const;
  const hidden = { ...text, rules: { ...text.rules, writeOnly: true } };
  const properties = new Map<string, ValueSpec>([
    ...shown.map((name): [string, ValueSpec] => [name, text]),
    ...secret.map((name): [string, ValueSpec] => [name, hidden]),
  ]);
  const read = valueReader(
    { type: 'object', scale: 0, properties, examples: [], rules: { ...noRules, required: true } },
    '',
  );
  return (body) => {
    const { value, failures } = read(body);
    if (failures.length > 0) throw brokenRules(failures, 'The request breaks');
    return value as Readonly<Record<Name, string>>;
  };
}
