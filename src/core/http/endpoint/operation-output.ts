import { memoizeByPermissions } from '../../access/permissions.ts';
import type { Permissions } from '../../access/permissions.ts';
import type { Principal } from '../../access/principal.ts';
import { CodeError } from '../../change/code.ts';
import { noRules } from '../../model/field.ts';
import { modelOf } from '../../model/graph.ts';
import type { Model, Operation } from '../../model/model.ts';
import type { Scalar } from '../../model/scalar.ts';
import { canonical } from '../../model/value.ts';
import { maskProjection } from '../../query/mask-projection.ts';
import { isOpen, wholeOf } from '../../query/projection.ts';
import { projectionStatement, thereStatement } from '../../query/statements.ts';
import { valueReader } from '../../rules/schema.ts';
import type { Reader } from '../../store/contract.ts';
import { isRecord } from '../../text/value.ts';
import { recordTags } from '../request/entity-tag.ts';
import type { EndpointContext } from './context.ts';

/** The JSON of what came of an operation, and the ETags of its records. */
export interface Output {
  readonly data: string;
  /** Of one record. */
  readonly etag?: string | undefined;
  /** Of many, in their order. */
  readonly etags?: readonly string[];
}

/** The JSON of an operation's output: records are read again, and shown like any record. */
export function outputWriter(
  name: string,
  { output }: Operation,
  { graph, store, runtime, tags }: EndpointContext,
): (principal: Principal, given: unknown, reader: Reader) => Promise<Output> {
  const { dialect } = store;
  if (output === undefined) return () => Promise.resolve({ data: '' });
  if (output.kind === 'fields') {
    const rules = { ...noRules, required: true };
    const read = valueReader({ type: 'object', scale: 0, properties: output.fields, examples: [], rules }, '');
    return (_principal, given) => {
      const { value, failures } = read(given ?? {});
      const [first] = failures;
      if (first === undefined) return Promise.resolve({ data: JSON.stringify(value) });
      return Promise.reject(
        new CodeError(name, `gave back another output than it declares: ${first.pointer} ${first.detail}`),
      );
    };
  }
  const model = modelOf(graph, output.model);
  const there = thereStatement(graph, model, dialect, true);
  const statementOf = memoizeByPermissions((permissions: Permissions) => {
    const projection = maskProjection(permissions, model, wholeOf(graph, model));
    return projectionStatement(graph, model, projection, dialect, {
      whole: true,
      guard: permissions.may(model, 'read'),
    });
  });
  const { tagOf } = recordTags(tags, isOpen(graph, model));
  /** Undefined for a record that this caller may not read. */
  const one = async (
    { caller, permissions }: Principal,
    given: unknown,
    reader: Reader,
  ): Promise<Tagged | undefined> => {
    const key = keyOf(given, model);
    if (key === undefined) {
      throw new CodeError(name, `declares to give back ${output.kind} ${model.name}: a record, or its key`);
    }
    const statement = statementOf(permissions);
    const bound = dialect.bind(model.key, key);
    const row = await reader.first(statement, [bound, ...statement.values({ now: runtime.now(), caller })]);
    if (row === undefined && (await reader.first(there, [bound])) === undefined)
      throw new CodeError(name, `gave back the ${model.name} ${String(key)}, which does not exist`);
    return row && { data: row[0] as string, etag: tagOf(row[0] as string, row[1] as string) };
  };
  if (output.kind === 'one')
    return async (principal, given, reader) => (await one(principal, given, reader)) ?? { data: 'null' };
  return async (principal, given, reader) => {
    if (!Array.isArray(given)) throw new CodeError(name, `declares to give back many ${model.plural}: an array`);
    const records: Tagged[] = [];
    for (const item of given)
      records.push(...[await one(principal, item, reader)].filter((text) => text !== undefined));
    return { data: `[${records.map(({ data }) => data).join(',')}]`, etags: records.map(({ etag }) => etag) };
  };
}

type Tagged = Output & { readonly etag: string };

/** The key in an operation's output: of a record, or the key itself. */
function keyOf(given: unknown, { key }: Model): Scalar | undefined {
  const value = isRecord(given) ? given[key.member] : given;
  const read = value === undefined || value === null ? undefined : canonical(key, value);
  return read !== undefined && 'value' in read ? (read.value as Scalar) : undefined;
}
