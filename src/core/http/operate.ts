import { blamed, CodeError } from '../change/code.ts';
import { refusePending } from '../change/scope.ts';
import type { Scope } from '../change/scope.ts';
import type { Work } from '../change/work.ts';
import { isRecord } from '../declaration/check-shape.ts';
import { didYouMean } from '../declaration/nearest.ts';
import { evaluate } from '../expression/evaluate.ts';
import type { FieldValue, Model, Operation, Scalar } from '../model/graph.ts';
import { modelOf } from '../model/graph.ts';
import { canonical, fromText } from '../model/value.ts';
import { noRules } from '../model/rules.ts';
import { isOpen, wholeOf } from '../query/shown.ts';
import { shownStatement, storedStatement } from '../query/statements.ts';
import { forCode } from '../change/for-code.ts';
import { valueReader } from '../rules/schema.ts';
import type { Values } from '../rules/schema.ts';
import type { Reader } from '../store/contract.ts';
import { readBodyOf } from './body.ts';
import { guardOf } from './condition.ts';
import { recordTags } from './entity-tag.ts';
import { keyFromText } from './key.ts';
import { COMMON_HEADERS, JSON_HEADERS } from './message.ts';
import type { Reply, Request } from './message.ts';
import { applied, preferredReturn } from './prefer.ts';
import { HttpProblem, refuseParameters } from './problems.ts';
import type { ParameterFailure } from './problems.ts';
import { readQuery, refuseQuery } from './query.ts';
import type { Serving } from './serving.ts';

/** Answers the requests for one operation. The key is that of its record, where it has one. */
export type Operate = (request: Request, query: string, keyText?: string) => Promise<Reply>;

export function makeOperation(model: Model, operation: Operation, serving: Serving): Operate {
  const { store, writes, code, answer, graph, moment } = serving;
  const { dialect } = store;
  const name = `${model.name}.${operation.name}`;
  const run = code.operations.get(name);
  const changes = writes.changesOf(model);
  const tags = recordTags(serving.tags, isOpen(graph, model));
  const readInput = inputReader(operation, () => moment.now());
  const stored = storedStatement(graph, model, dialect, false);
  const outputOf = outputWriter(name, operation, serving);

  async function called(input: Values, scope: Scope, record: Values | undefined, reader: Reader): Promise<string> {
    // No service opens without the code that it was declared to have.
    if (run === undefined) throw new CodeError(name, 'has no code');
    const seen = record === undefined ? scope : withRecord(scope, forCode(model, record));
    let output: unknown;
    try {
      output = await (run as (input: Values, scope: Scope) => unknown)(input, seen);
    } catch (error) {
      throw blamed(error, name);
    }
    return outputOf(output, reader);
  }

  function reply(data: string, request: Request): Reply {
    const { status, output } = operation;
    if (output === undefined || status === 204) return { status: output === undefined && status === 200 ? 204 : status, headers: COMMON_HEADERS }; // prettier-ignore
    if (!operation.reads && preferredReturn(request) === 'minimal') {
      return { status: 204, headers: { ...COMMON_HEADERS, ...applied('minimal') } };
    }
    return { status, headers: JSON_HEADERS, body: `{"data":${data}}` };
  }

  if (operation.reads) {
    return async (request, query, keyText) => {
      const input = readInput.fromQuery(query);
      let record: Values | undefined;
      if (keyText !== undefined) {
        const row = await store.first(stored, [dialect.bind(model.key, keyFromText(model.key, keyText))]);
        if (row === undefined) throw new HttpProblem('not-found');
        record = JSON.parse(String(row[0])) as Values;
      }
      const data = await store.reading((reader, signal) =>
        called(input, writes.readingScope(null, reader, signal), record, reader),
      );
      return reply(data, request);
    };
  }
  return async (request, query, keyText) => {
    refuseQuery(query);
    const key = keyText === undefined ? undefined : keyFromText(model.key, keyText);
    const guard =
      key === undefined || request.headers['if-match'] === undefined ? undefined : guardOf(model, tags, request);
    const input = readInput.fromBody(request);
    return answer(request, async (work: Work) => {
      const record = key === undefined ? undefined : await changes.lock(work, key, guard);
      const data = await called(input, writes.scopeOf(work), record, work.transaction);
      refusePending(work.calls, 0, name);
      return reply(data, request);
    });
  };
}

/** The scope of an operation on a record, which is locked unless the operation only reads. */
function withRecord(scope: Scope, record: Values): Scope & { readonly record: Values } {
  return Object.create(scope, { record: { value: record, enumerable: true } }) as Scope & { readonly record: Values };
}

/** What an operation takes, from where its requests give it. */
interface InputReader {
  fromBody(request: Request): Values;
  fromQuery(query: string): Values;
}

function inputReader({ input }: Operation, now: () => Date): InputReader {
  const whole = valueReader({ type: 'object', scale: 0, properties: input, examples: [], rules: { ...noRules, required: true } }, ''); // prettier-ignore

  function read(given: unknown): { values: Values; failures: ReturnType<typeof whole>['failures'] } {
    const filled = isRecord(given) ? { ...defaultsAt(given), ...given } : given;
    const { value, failures } = whole(filled);
    if (failures.length > 0) return { values: {}, failures };
    const values = value as Values;
    // What is left out is null, so that code need not tell the two apart.
    return { values: { ...Object.fromEntries([...input.keys()].map((name) => [name, null])), ...values }, failures };
  }

  const defaultsAt = (given: Readonly<Record<string, unknown>>): Values =>
    Object.fromEntries(
      [...input].flatMap(([name, { rules }]) =>
        rules.defaultTo === undefined || Object.hasOwn(given, name)
          ? []
          : [[name, evaluate(rules.defaultTo, { values: {}, now: now() })]],
      ),
    );

  return {
    fromBody(request) {
      const { values, failures } = read(isEmpty(request) ? {} : readBodyOf(request, 'create'));
      if (failures.length > 0) {
        const title =
          failures.length === 1 ? 'The request breaks a rule' : `The request breaks ${failures.length} rules`;
        throw new HttpProblem('invalid-body', undefined, { title, errors: failures });
      }
      return values;
    },
    fromQuery(query) {
      const told: ParameterFailure[] = [];
      const given: Record<string, FieldValue> = {};
      for (const [parameter, text] of readQuery(query)) {
        const spec = input.get(parameter);
        if (spec === undefined) {
          told.push({ parameter, detail: `no such parameter; ${didYouMean(parameter, input.keys())}` });
        } else if (given[parameter] !== undefined) told.push({ parameter, detail: 'must be given once' });
        else {
          const one = fromText(spec, text);
          if ('fault' in one) told.push({ parameter, detail: one.fault.detail });
          else given[parameter] = one.value;
        }
      }
      refuseParameters(told);
      const { values, failures } = read(given);
      refuseParameters(failures.map(({ pointer, detail }) => ({ parameter: pointer.slice(1), detail })));
      return values;
    },
  };
}

/** An operation that needs nothing may be asked for with nothing. */
const isEmpty = ({ body, headers }: Request): boolean =>
  (body === undefined || body.length === 0) && headers['content-type'] === undefined;

/** Makes JSON of what an operation gives back: records are read again, and shown as anywhere else. */
function outputWriter(
  name: string,
  { output }: Operation,
  { graph, store, moment }: Serving,
): (given: unknown, reader: Reader) => Promise<string> {
  const { dialect } = store;
  if (output === undefined) return () => Promise.resolve('');
  if (output.kind === 'fields') {
    const rules = { ...noRules, required: true };
    const read = valueReader({ type: 'object', scale: 0, properties: output.fields, examples: [], rules }, '');
    return (given) => {
      const { value, failures } = read(given ?? {});
      const [first] = failures;
      if (first === undefined) return Promise.resolve(JSON.stringify(value));
      return Promise.reject(
        new CodeError(name, `gave back another output than it declares: ${first.pointer} ${first.detail}`),
      );
    };
  }
  const model = modelOf(graph, output.model);
  const statement = shownStatement(graph, model, wholeOf(graph, model), dialect, false);
  const one = async (given: unknown, reader: Reader): Promise<string> => {
    const key = keyOf(given, model);
    if (key === undefined) {
      throw new CodeError(name, `declares to give back ${output.kind} ${model.name}: a record, or its key`);
    }
    const row = await reader.first(statement, [dialect.bind(model.key, key), ...statement.values(moment.now())]);
    if (row === undefined)
      throw new CodeError(name, `gave back the ${model.name} ${String(key)}, which does not exist`);
    return row[0] as string;
  };
  if (output.kind === 'one') return one;
  return async (given, reader) => {
    if (!Array.isArray(given)) throw new CodeError(name, `declares to give back many ${model.plural}: an array`);
    const texts: string[] = [];
    for (const item of given) texts.push(await one(item, reader));
    return `[${texts.join(',')}]`;
  };
}

/** The key of what an operation gave back: a record, or a key itself. */
function keyOf(given: unknown, { key }: Model): Scalar | undefined {
  const value = isRecord(given) ? given[key.member] : given;
  const read = value === undefined || value === null ? undefined : canonical(key, value);
  return read !== undefined && 'value' in read ? (read.value as Scalar) : undefined;
}
