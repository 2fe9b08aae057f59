// What a record is called, asked for where only its key is known.
import { labelFields, labelOf, recordPath } from './records.ts';
import type { Row } from './records.ts';
import { eyes } from './state.ts';
import { ask } from './trail.ts';
import type { Model } from './wire.ts';

/** Undefined where it is not for whom one looks as. */
export async function labelFor(model: Model, key: unknown): Promise<string | undefined> {
  const target = `${recordPath(model, key)}?fields=${labelFields(model).join(',')}`;
  const { value, answer } = await ask({ as: eyes.value, method: 'GET', target }, true);
  return answer.status === 200 ? labelOf(model, (value as { data: Row }).data) : undefined;
}
