import { brokenRules, HttpProblem } from '../api/problems.ts';
import type { Caller, EvaluationContext } from '../expression/context.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { FieldValue, Scalar } from '../model/scalar.ts';
import { canonical } from '../model/value.ts';
import { bodyReader, ownBody } from '../rules/schema.ts';
import type { BodyReader, Values } from '../rules/schema.ts';
import type { Dialect } from '../sql/dialect.ts';
import type { Reader } from '../store/contract.ts';
import { didYouMean } from '../text/nearest.ts';
import { CodeError } from './code.ts';
import type { Changes } from './contract.ts';
import { finderOf } from './find.ts';
import type { Finder, FindOptions, Where } from './find.ts';
import { forCode } from './for-code.ts';
import type { Log, Scope, ScopeModel } from './scope.ts';
import type { Calls, UnitOfWork } from './unit-of-work.ts';

/** Refuses code that did not await all that it asked of its scope. */
export function refusePending({ pending }: Calls, before: number, where: string): void {
  if (pending <= before) return;
  throw new CodeError(where, 'ended before its calls on the scope did: await every one of them');
}

/** Makes scopes: everything about models is worked out once. */
export function makeScopes(
  graph: Graph,
  dialect: Dialect,
  changesOf: (model: Model) => Changes,
  log: Log,
): (ground: Ground) => Scope {
  interface Tools {
    readonly model: Model;
    readonly finder: Finder;
    readonly readNew: BodyReader;
    readonly readChange: BodyReader;
  }
  const known = new Map<string, Tools>();
  const toolsOf = (name: string): Tools => {
    let tools = known.get(name);
    if (tools === undefined) {
      const model = graph.byName.get(name);
      if (model === undefined)
        throw new TypeError(`there is no model ${name}; ${didYouMean(name, graph.byName.keys())}`);
      const finder = finderOf(graph, model, dialect);
      tools = { model, finder, readNew: bodyReader(model, 'load'), readChange: bodyReader(model, 'amend') };
      known.set(name, tools);
    }
    return tools;
  };

  function read(reader: BodyReader, given: Values): Values {
    const { values, repeated, failures } = reader(given);
    for (const field of repeated.keys()) throw new TypeError(`${field.member} can not be changed: it is the key`);
    if (failures.length > 0) throw brokenRules(failures);
    return values;
  }

  return (ground) => {
    const { caller, reader, write, calls } = ground;
    const evaluation = (): EvaluationContext => ({ now: ground.now(), caller });
    /** Whoever forgets to await a call must not bring the whole service down when it fails. */
    const called = <Result>(call: Promise<Result>): Promise<Result> => {
      calls.pending += 1;
      const end = (): void => void (calls.pending -= 1);
      call.then(end, end);
      return call;
    };
    const scopeModel = (name: string): ScopeModel => {
      const { model, finder, readNew, readChange } = toolsOf(name);
      const changes = changesOf(model);
      const keyOf = (key: FieldValue): Scalar => {
        const found = canonical(model.key, key);
        if ('fault' in found) throw new HttpProblem('not-found');
        return found.value as Scalar;
      };
      const byKey = async (from: Reader, key: Scalar): Promise<Values> => {
        const record = await finder.byKey(from, key);
        if (record === undefined) throw new HttpProblem('not-found');
        return record;
      };
      return {
        find: (where, options = {}) => called(finder.find(reader, evaluation(), where, options)),
        first: (where, options = {}) => called(firstOf(where, options)),
        count: (where) => called(finder.count(reader, evaluation(), where)),
        get: (key) => called(byKey(reader, key)),
        lock: (key) => called(locked(key)),
        create: (values) => called(created(values)),
        update: (key, values) => called(updated(key, values)),
        delete: (key) => called(write(async (work) => changes.delete(work, keyOf(key)))),
      };

      async function firstOf(where: Where | undefined, options: FindOptions): Promise<Values | undefined> {
        return (await finder.find(reader, evaluation(), where, { ...options, limit: 1 }))[0];
      }

      async function locked(key: Scalar): Promise<Values> {
        if (ground.locks === undefined) throw new TypeError('there is no transaction here in which to lock a record');
        return forCode(model, await changes.lock(ground.locks, keyOf(key)));
      }

      async function created(values: Values): Promise<Values> {
        const sealed = await changes.hashSecrets(read(readNew, values));
        return write(async (work) => {
          const { key } = await changes.create(work, sealed);
          return byKey(work.transaction, key);
        });
      }

      async function updated(key: Scalar, values: Values): Promise<Values> {
        const sealed = await changes.hashSecrets(read(readChange, values));
        return write(async (work) => {
          await changes.change(work, 'update', keyOf(key), ownBody(sealed));
          return byKey(work.transaction, key);
        });
      }
    };
    return {
      caller,
      get now() {
        return ground.now();
      },
      get signal() {
        return ground.signal;
      },
      log,
      model: scopeModel,
      refuse(detail, { status = 422, rule = 'refused', pointer = '' } = {}) {
        if (!Number.isInteger(status) || status < 400 || status > 499) {
          throw new TypeError(`a refusal has a status from 400 to 499, not ${status}`);
        }
        const errors = [{ pointer, rule, detail }];
        throw new HttpProblem('refused', detail, { status, errors });
      },
    };
  };
}

/** What a scope stands on. */
export interface Ground {
  readonly caller: Caller | null;
  now(): Date;
  readonly reader: Reader;
  readonly signal: AbortSignal;
  /** Does a part of the work that changes something, whole or not at all. */
  write<Result>(part: (work: UnitOfWork) => Promise<Result>): Promise<Result>;
  /** Where a record can be locked: only inside a transaction. */
  readonly locks?: UnitOfWork;
  /** The calls that are under way. */
  readonly calls: Calls;
}
