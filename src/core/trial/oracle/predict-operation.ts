import type { Endpoint } from '../../api/endpoints.ts';
import { evaluate } from '../../expression/evaluate.ts';
import { noRules } from '../../model/field.ts';
import { fromText } from '../../model/value.ts';
import { isRecord } from '../../text/value.ts';
import { keyOf, refuseQuery } from './asking.ts';
import type { AskedEndpoint, Asking } from './asking.ts';
import { readValue } from './read-value.ts';
import type { Broken } from './read-value.ts';
import { authorize, brokenRules, Refusal, refusedOn, unknownRecord, Unsure } from './refusal.ts';
import type { Writing } from './writing.ts';

/** Of an operation only who may call it is predicted: what it does is the project's own code. */
export function operated({ model, endpoint, writing, key: keyText, asking }: AskedEndpoint): never {
  const { oracle, state, who } = writing;
  const grants = model.access.operations.get(endpoint.operation!.name) ?? [];
  authorize(oracle, grants, model, who);
  if (keyText === undefined) {
    if (!oracle.always(grants, model, who)) throw refusedOn(oracle, grants, model, who);
  } else if (!oracle.could(model.access.verbs.read, model, who)) throw unknownRecord(oracle, model, who);
  if (endpoint.operation!.reads !== true) refuseQuery(asking);
  const key = keyText === undefined ? undefined : keyOf(model, keyText);
  refuseInput(endpoint, asking, writing);
  if (key !== undefined) {
    const row = state.byKey(model.name, key);
    if (row === undefined || !oracle.may(model, 'read', row, who)) throw unknownRecord(oracle, model, who);
    if (!oracle.holds(grants, model, row, who)) throw refusedOn(oracle, grants, model, who);
  }
  throw new Unsure(`the code of ${model.name}.${endpoint.operation!.name} answers`);
}

/** Refuses input that breaks the rules of an operation, which come before the record is looked for. */
function refuseInput({ operation }: Endpoint, { body, query }: Asking, { moment }: Writing): void {
  const { input, reads, defaults } = operation!;
  const filled = [...defaults].map(([name, value]) => [name, evaluate(value, { values: {}, ...moment })] as const);
  const spec = {
    type: 'object' as const,
    scale: 0,
    properties: input,
    examples: [],
    rules: { ...noRules, required: true },
  };
  const broken: Broken[] = [];
  if (!reads) {
    const given = body === undefined ? {} : body;
    readValue(spec, isRecord(given) ? { ...Object.fromEntries(filled), ...given } : given, '', broken);
    if (broken.length > 0) throw brokenRules(broken);
    return;
  }
  const values: [string, unknown][] = [];
  for (const [name, text] of new URLSearchParams(query)) {
    const read = input.has(name) ? fromText(input.get(name)!, text) : undefined;
    if (read === undefined || 'fault' in read || values.some(([other]) => other === name))
      throw new Refusal('invalid-parameter');
    values.push([name, read.value]);
  }
  readValue(spec, Object.fromEntries([...filled, ...values]), '', broken);
  if (broken.length > 0) throw new Refusal('invalid-parameter');
}
