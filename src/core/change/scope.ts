import { didYouMean } from '../text/nearest.ts';
import { HttpProblem, brokenRules } from '../api/problems.ts';
import type { FieldValue, Graph, Model, Scalar } from '../model/graph.ts';
import { canonical } from '../model/value.ts';
import { bodyReader, ownBody } from '../rules/schema.ts';
import type { BodyReader, Values } from '../rules/schema.ts';
import { StoreError } from '../store/contract.ts';
import type { Reader } from '../store/contract.ts';
import type { Dialect } from '../sql/dialect.ts';
import { CodeError } from './code.ts';
import type { Changes } from './contract.ts';
import { finderOf } from './find.ts';
import type { Finder, FindOptions, Where } from './find.ts';
import { forCode } from './for-code.ts';
import type { Caller, Occasion } from '../expression/context.ts';
import type { Calls, Work } from './work.ts';

/** Lines for the log of the service. */
export interface Log {
  info(message: string, details?: object): void;
  warn(message: string, details?: object): void;
  error(message: string, details?: object): void;
}

/** What is wrong with a request, in the words of a project's own code. */
export interface RefuseOptions {
  /** 400 to 499; 422 where it is left out. */
  readonly status?: number;
  /** The name of the rule that was broken. */
  readonly rule?: string;
  /** The place in the body that it is about (RFC 6901). */
  readonly pointer?: string;
}

/** The only way from a project's code to its data. It is bound to one transaction, and dead after it. */
export interface Scope {
  readonly caller: Caller | null;
  /** The time that the writes of this transaction carry. */
  readonly now: Date;
  /** Aborted when the time of the transaction is up. */
  readonly signal: AbortSignal;
  readonly log: Log;
  model(name: string): ScopeModel;
  /** Ends it all: nothing is kept, and the client is told. */
  refuse(detail: string, options?: RefuseOptions): never;
}

/** The records of one model. Writes keep rules, hooks, draws and the journal, and ask for no grants. */
export interface ScopeModel {
  /** All records, or those with these values, or for which a condition in CQL2 is true. */
  find(where?: Where, options?: FindOptions): Promise<Values[]>;
  /** The first of them. */
  first(where?: Where, options?: FindOptions): Promise<Values | undefined>;
  /** The record with a key; where there is none, the request is answered with 404. */
  get(key: Scalar): Promise<Values>;
  /** The same, and nobody else changes it until the transaction ends. */
  lock(key: Scalar): Promise<Values>;
  count(where?: Where): Promise<number>;
  create(values: Values): Promise<Values>;
  update(key: Scalar, values: Values): Promise<Values>;
  delete(key: Scalar): Promise<void>;
}

/** What a scope stands on. */
export interface Ground {
  readonly caller: Caller | null;
  now(): Date;
  readonly reader: Reader;
  readonly signal: AbortSignal;
  /** Does a part of the work that changes something, whole or not at all. */
  write<Result>(part: (work: Work) => Promise<Result>): Promise<Result>;
  /** Where a record can be locked: only inside a transaction. */
  readonly locks?: Work;
  /** The calls that are under way. */
  readonly calls: Calls;
}

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
    const occasion = (): Occasion => ({ now: ground.now(), caller });
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
        find: (where, options = {}) => called(finder.find(reader, occasion(), where, options)),
        first: (where, options = {}) => called(firstOf(where, options)),
        count: (where) => called(finder.count(reader, occasion(), where)),
        get: (key) => called(byKey(reader, key)),
        lock: (key) => called(locked(key)),
        create: (values) => called(created(values)),
        update: (key, values) => called(updated(key, values)),
        delete: (key) => called(write(async (work) => changes.delete(work, keyOf(key)))),
      };

      async function firstOf(where: Where | undefined, options: FindOptions): Promise<Values | undefined> {
        return (await finder.find(reader, occasion(), where, { ...options, limit: 1 }))[0];
      }

      async function locked(key: Scalar): Promise<Values> {
        if (ground.locks === undefined) throw new TypeError('there is no transaction here in which to lock a record');
        return forCode(model, await changes.lock(ground.locks, keyOf(key)));
      }

      async function created(values: Values): Promise<Values> {
        const sealed = await changes.seal(read(readNew, values));
        return write(async (work) => {
          const { key } = await changes.create(work, sealed);
          return byKey(work.transaction, key);
        });
      }

      async function updated(key: Scalar, values: Values): Promise<Values> {
        const sealed = await changes.seal(read(readChange, values));
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

/** A scope's store for operations that only read. */
export const refuseWrites = (): Promise<never> =>
  Promise.reject(new StoreError({ kind: 'defect' }, 'an operation that reads can not write', 'leave out `reads`'));
