import { authorize, authorizeRecord, refusedOn, unknownRecord } from '../../access/authorization.ts';
import { operationAct } from '../../access/condition.ts';
import type { Act } from '../../access/condition.ts';
import { memoizeByPermissions } from '../../access/permissions.ts';
import type { Permissions } from '../../access/permissions.ts';
import type { Principal } from '../../access/principal.ts';
import { COMMON_HEADERS, JSON_HEADERS } from '../../api/message.ts';
import type { Reply, Request } from '../../api/message.ts';
import { brokenRules, refuseParameters } from '../../api/problems.ts';
import type { ParameterFailure } from '../../api/problems.ts';
import { blamed, CodeError } from '../../change/code.ts';
import { forCode } from '../../change/for-code.ts';
import { refusePending } from '../../change/make-scopes.ts';
import type { OperationCode } from '../../change/operation.ts';
import type { Runtime } from '../../change/runtime.ts';
import type { Scope } from '../../change/scope.ts';
import type { Valued } from '../../change/statements.ts';
import type { UnitOfWork } from '../../change/unit-of-work.ts';
import type { EvaluationContext } from '../../expression/context.ts';
import { evaluate } from '../../expression/evaluate.ts';
import { noRules } from '../../model/field.ts';
import type { Model, Operation } from '../../model/model.ts';
import type { FieldValue, Scalar } from '../../model/scalar.ts';
import { fromText } from '../../model/value.ts';
import { isOpen } from '../../query/projection.ts';
import { guardSql, storedStatement } from '../../query/statements.ts';
import { valueReader } from '../../rules/schema.ts';
import type { Values } from '../../rules/schema.ts';
import type { Dialect } from '../../sql/dialect.ts';
import { parametersOf } from '../../sql/parameters.ts';
import type { Reader, Store } from '../../store/contract.ts';
import { didYouMean } from '../../text/nearest.ts';
import { isRecord } from '../../text/value.ts';
import { readBodyOf } from '../request/body.ts';
import { recordTags } from '../request/entity-tag.ts';
import { keyFromText } from '../request/key.ts';
import { guardOf } from '../request/precondition.ts';
import { applied, preferredReturn } from '../request/prefer.ts';
import { readQuery, refuseQuery } from '../request/query.ts';
import type { EndpointContext } from './context.ts';
import { outputWriter } from './operation-output.ts';
import type { Output } from './operation-output.ts';

/** Answers the requests for one operation. The key is that of its record, where it has one. */
export type Operate = (principal: Principal, request: Request, query: string, keyText?: string) => Promise<Reply>;

/** What the requests for one operation are answered with. */
export interface OperationParts {
  readonly run: OperationCode | undefined;
  readonly name: string;
  readonly model: Model;
  readonly outputOf: (principal: Principal, given: unknown, reader: Reader) => Promise<Output>;
  readonly operation: Operation;
  readonly act: Act;
  readonly heldOf: (permissions: Permissions) => { read: Valued; may: Valued };
  readonly store: Store;
  readonly dialect: Dialect;
  readonly runtime: Runtime;
}

export function makeOperation(model: Model, operation: Operation, context: EndpointContext): Operate {
  const { store, writes, code, answer, graph, runtime } = context;
  const { dialect } = store;
  const name = `${model.name}.${operation.name}`;
  const run = code.operations.get(name);
  const changes = writes.changesOf(model);
  const tags = recordTags(context.tags, isOpen(graph, model));
  const readInput = inputReader(operation, () => runtime.now());
  const act = operationAct(operation.name);
  const heldOf = memoizeByPermissions((permissions: Permissions) => {
    const stored = storedStatement(graph, model, dialect, false).sql;
    const [read, may] = (['read', act] as const).map((one): Valued => {
      const parameters = parametersOf<EvaluationContext>(dialect, 1);
      const guard = guardSql(graph, model, permissions.may(model, one), dialect, parameters);
      return { sql: stored + guard, values: parameters.values };
    });
    return { read: read!, may: may! };
  });
  const outputOf = outputWriter(name, operation, context);

  const parts: OperationParts = { run, name, model, outputOf, operation, act, heldOf, store, dialect, runtime };
  if (operation.reads) {
    return async (principal, request, query, keyText) => {
      admitted(parts, principal.permissions);
      const key = keyText === undefined ? undefined : keyFromText(model.key, keyText);
      const input = readInput.fromQuery(query, principal);
      const record = key === undefined ? undefined : await heldBy(parts, principal, key);
      const data = await store.reading(
        (reader, signal) =>
          called(parts, principal, input, writes.readingScope(principal, reader, signal), record, reader),
        principal.requester,
      );
      return reply(parts, data, request);
    };
  }
  return async (principal, request, query, keyText) => {
    admitted(parts, principal.permissions);
    refuseQuery(query);
    const key = keyText === undefined ? undefined : keyFromText(model.key, keyText);
    const guard =
      key === undefined || request.headers['if-match'] === undefined ? undefined : guardOf(model, tags, request);
    const input = readInput.fromBody(request, principal);
    return answer(principal, request, async (work: UnitOfWork) => {
      const { permissions } = principal;
      work.operation = operation.name;
      const held = key === undefined ? undefined : await changes.lockForWrite(work, key, act, { permissions, guard });
      const data = await called(parts, principal, input, writes.scopeOf(work), held?.record, work.transaction);
      refusePending(work.calls, 0, name);
      return reply(parts, data, request);
    });
  };
}

async function called(
  { run, name, model, outputOf }: OperationParts,
  principal: Principal,
  input: Values,
  scope: Scope,
  record: Values | undefined,
  reader: Reader,
): Promise<Output> {
  // A service does not open without its declared code.
  if (run === undefined) throw new CodeError(name, 'has no code');
  const seen = record === undefined ? scope : withRecord(scope, forCode(model, record));
  let output: unknown;
  try {
    output = await (run as (input: Values, scope: Scope) => unknown)(input, seen);
  } catch (error) {
    throw blamed(error, name);
  }
  return outputOf(principal, output, reader);
}

function admitted({ operation, model, act }: OperationParts, permissions: Permissions): void {
  if (operation.target === 'record') authorizeRecord(permissions, model, act);
  // A condition over a record cannot be true without one.
  else if (authorize(permissions, model, act) !== true) throw refusedOn(permissions, model, act);
}

/** The record of an operation that only reads. */
async function heldBy(
  { heldOf, store, dialect, model, runtime, act }: OperationParts,
  { caller, permissions }: Principal,
  key: Scalar,
): Promise<Values> {
  const { read, may } = heldOf(permissions);
  const look = (statement: Valued) =>
    store.first(statement, [dialect.bind(model.key, key), ...statement.values({ now: runtime.now(), caller })]);
  if ((await look(read)) === undefined) throw unknownRecord(permissions, model);
  const row = await look(may);
  if (row === undefined) throw refusedOn(permissions, model, act);
  return JSON.parse(String(row[0])) as Values;
}

function reply({ operation }: OperationParts, { data, etag, etags }: Output, request: Request): Reply {
  const { status, output } = operation;
  if (output === undefined || status === 204)
    return { status: output === undefined && status === 200 ? 204 : status, headers: COMMON_HEADERS };
  if (!operation.reads && preferredReturn(request) === 'minimal') {
    return { status: 204, headers: { ...COMMON_HEADERS, ...applied('minimal') } };
  }
  const headers = etag === undefined ? JSON_HEADERS : { ...JSON_HEADERS, etag };
  const more = etags === undefined ? '' : `,"etags":${JSON.stringify(etags)}`;
  return { status, headers, body: `{"data":${data}${more}}` };
}

/** The scope of an operation on a record, which is locked unless the operation only reads. */
function withRecord(scope: Scope, record: Values): Scope & { readonly record: Values } {
  return Object.create(scope, { record: { value: record, enumerable: true } }) as Scope & { readonly record: Values };
}

/** Reads the input of an operation, from the body or the query. */
interface InputReader {
  fromBody(request: Request, principal: Principal): Values;
  fromQuery(query: string, principal: Principal): Values;
}

function inputReader({ input, defaults }: Operation, now: () => Date): InputReader {
  const whole = valueReader(
    { type: 'object', scale: 0, properties: input, examples: [], rules: { ...noRules, required: true } },
    '',
  );

  function read(
    given: unknown,
    { caller }: Principal,
  ): { values: Values; failures: ReturnType<typeof whole>['failures'] } {
    const filled = isRecord(given) ? { ...defaultsAt(given, { now: now(), caller }), ...given } : given;
    const { value, failures } = whole(filled);
    if (failures.length > 0) return { values: {}, failures };
    const values = value as Values;
    // Absent members are null, so that code need not distinguish the two.
    return { values: { ...Object.fromEntries([...input.keys()].map((name) => [name, null])), ...values }, failures };
  }

  const defaultsAt = (given: Readonly<Record<string, unknown>>, evaluation: EvaluationContext): Values =>
    Object.fromEntries(
      [...defaults]
        .filter(([name]) => !Object.hasOwn(given, name))
        .map(([name, expression]) => [name, evaluate(expression, { values: {}, ...evaluation })]),
    );

  return {
    fromBody(request, principal) {
      const { values, failures } = read(isEmpty(request) ? {} : readBodyOf(request, 'create'), principal);
      if (failures.length > 0) throw brokenRules(failures, 'The request breaks');
      return values;
    },
    fromQuery(query, principal) {
      const told: ParameterFailure[] = [];
      const found = new Map<string, FieldValue>();
      for (const [parameter, text] of readQuery(query)) {
        const spec = input.get(parameter);
        if (spec === undefined) {
          told.push({ parameter, detail: `no such parameter; ${didYouMean(parameter, input.keys())}` });
        } else if (found.has(parameter)) told.push({ parameter, detail: 'must be given once' });
        else {
          const one = fromText(spec, text);
          if ('fault' in one) told.push({ parameter, detail: one.fault.detail });
          else found.set(parameter, one.value);
        }
      }
      refuseParameters(told);
      const { values, failures } = read(Object.fromEntries(found), principal);
      refuseParameters(failures.map(({ pointer, detail }) => ({ parameter: pointer.slice(1), detail })));
      return values;
    },
  };
}

/** An operation without input needs no body. */
const isEmpty = ({ body, headers }: Request): boolean =>
  (body === undefined || body.length === 0) && headers['content-type'] === undefined;
