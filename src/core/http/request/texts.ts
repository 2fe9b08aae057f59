import { brokenRules } from '../../api/problems.ts';
import { noRules } from '../../model/field.ts';
import type { ValueSpec } from '../../model/field.ts';
import { valueReader } from '../../rules/schema.ts';

/**
 * Reads a body of texts by their names, all of them needed, and gives them in this order. All but the first are secret:
 * no answer repeats them.
 */
export function textsOf(...names: readonly string[]): (body: unknown) => string[] {
  const text = { type: 'string', scale: 0, examples: [], rules: { ...noRules, required: true } } as const;
  const hidden = { ...text, rules: { ...text.rules, writeOnly: true } };
  const properties = new Map(names.map((name, at): [string, ValueSpec] => [name, at === 0 ? text : hidden]));
  const read = valueReader(
    { type: 'object', scale: 0, properties, examples: [], rules: { ...noRules, required: true } },
    '',
  );
  return (body) => {
    const { value, failures } = read(body);
    if (failures.length > 0) throw brokenRules(failures, 'The request breaks');
    const values = new Map(Object.entries(value as Readonly<Record<string, string>>));
    return names.map((name) => values.get(name)!);
  };
}
