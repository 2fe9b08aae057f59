import { brokenRules, HttpProblem } from '../api/problems.ts';
import type { EvaluationContext } from '../expression/context.ts';
import type { Model } from '../model/model.ts';
import type { FieldValue, Scalar } from '../model/scalar.ts';
import { canonical } from '../model/value.ts';
import { ownBody } from '../rules/schema.ts';
import type { BodyReader, Values } from '../rules/schema.ts';
import type { Reader } from '../store/contract.ts';
import type { Changes } from './contract.ts';
import type { Finder } from './find.ts';
import { forCode } from './for-code.ts';
import type { Ground } from './ground.ts';
import type { ScopeModel } from './scope.ts';

/** What one model's records are read and written with. */
export interface ScopeTools {
  readonly model: Model;
  readonly changes: Changes;
  readonly finder: Finder;
  readonly readNew: BodyReader;
  readonly readChange: BodyReader;
}

/** The records of one model, on one scope. */
export function scopeModel({ model, changes, finder, readNew, readChange }: ScopeTools, ground: Ground): ScopeModel {
  const { caller, reader, write, calls } = ground;
  const evaluation = (): EvaluationContext => ({ now: ground.now(), caller });
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
  /** A failing call that nobody awaits must not end the service. */
  const called = <Result>(call: Promise<Result>): Promise<Result> => {
    calls.pending += 1;
    const end = (): void => void (calls.pending -= 1);
    call.then(end, end);
    return call;
  };
  return {
    find: (where, options = {}) => called(finder.find(reader, evaluation(), where, options)),
    first: (where, options = {}) => {
      const first = async (): Promise<Values | undefined> =>
        (await finder.find(reader, evaluation(), where, { ...options, limit: 1 }))[0];
      return called(first());
    },
    count: (where) => called(finder.count(reader, evaluation(), where)),
    get: (key) => called(byKey(reader, key)),
    lock: (key) => called(locked(key)),
    create: (values) => called(created(values)),
    update: (key, values) => called(updated(key, values)),
    delete: (key) => called(write(async (work) => changes.delete(work, keyOf(key)))),
  };

  async function locked(key: Scalar): Promise<Values> {
    if (ground.locks === undefined) throw new TypeError('there is no transaction here in which to lock a record');
    return forCode(model, await changes.lock(ground.locks, keyOf(key)));
  }

  async function hashedOf(values: Values): Promise<Values> {
    const failures = await changes.secretFailures(values);
    if (failures.length > 0) throw brokenRules(failures);
    return changes.hashSecrets(values);
  }

  async function created(values: Values): Promise<Values> {
    const hashed = await hashedOf(readValues(readNew, values));
    return write(async (work) => {
      const { key } = await changes.create(work, hashed);
      return byKey(work.transaction, key);
    });
  }

  async function updated(key: Scalar, values: Values): Promise<Values> {
    const hashed = await hashedOf(readValues(readChange, values));
    return write(async (work) => {
      await changes.change(work, 'update', keyOf(key), ownBody(hashed));
      return byKey(work.transaction, key);
    });
  }
}

function readValues(reader: BodyReader, given: Values): Values {
  const { values, repeated, failures } = reader(given);
  for (const field of repeated.keys()) throw new TypeError(`${field.member} can not be changed: it is the key`);
  if (failures.length > 0) throw brokenRules(failures);
  return values;
}
