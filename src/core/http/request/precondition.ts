import type { Request } from '../../api/message.ts';
import { HttpProblem } from '../../api/problems.ts';
import type { Guard } from '../../change/contract.ts';
import type { Model } from '../../model/model.ts';
import type { RecordTags } from './entity-tag.ts';

/** The check of If-Match on the record; undefined without the header. A model may require the header (428). */
export function guardOf({ conditional, name }: Model, tags: RecordTags, { headers }: Request): Guard | undefined {
  const header = headers['if-match'];
  if (header === undefined) {
    if (!conditional) return undefined;
    throw new HttpProblem('condition-required', `send If-Match with the ETag of the ${name}, as it was read`);
  }
  return (stored) => {
    if (tags.isState(header, stored)) return;
    throw new HttpProblem('moved-on', 'If-Match names another state; read the record again');
  };
}
