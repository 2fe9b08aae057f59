import { HttpProblem } from '../../api/problems.ts';
import type { Field } from '../../model/field.ts';
import type { Scalar } from '../../model/scalar.ts';
import { fromText } from '../../model/value.ts';

/** The key that a path segment names. A text that can't be a key can't be the key of any record: 404. */
export function keyFromText(field: Field, text: string): Scalar {
  const read = fromText(field, text);
  if ('fault' in read) throw new HttpProblem('not-found');
  return read.value as Scalar;
}
