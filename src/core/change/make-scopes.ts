import { HttpProblem } from '../api/problems.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { bodyReader } from '../rules/schema.ts';
import type { Dialect } from '../sql/dialect.ts';
import { didYouMean } from '../text/nearest.ts';
import { CodeError } from './code.ts';
import type { Changes } from './contract.ts';
import { finderOf } from './find.ts';
import { callerForCode } from './for-code.ts';
import type { Ground } from './ground.ts';
import { scopeModel } from './scope-model.ts';
import type { ScopeTools } from './scope-model.ts';
import type { Scope, ServiceLog } from './scope.ts';
import type { Calls } from './unit-of-work.ts';

/** Refuses code that did not await all of its calls on the scope. */
export function refusePending({ pending }: Calls, before: number, where: string): void {
  if (pending <= before) return;
  throw new CodeError(where, 'ended before its calls on the scope did: await every one of them');
}

/** Makes scopes: everything about models is worked out once. */
export function makeScopes(
  graph: Graph,
  dialect: Dialect,
  changesOf: (model: Model) => Changes,
  log: ServiceLog,
): (ground: Ground) => Scope {
  const known = new Map<string, ScopeTools>();
  const toolsOf = (name: string): ScopeTools => {
    let tools = known.get(name);
    if (tools === undefined) {
      const model = graph.byName.get(name);
      if (model === undefined)
        throw new TypeError(`there is no model ${name}; ${didYouMean(name, graph.byName.keys())}`);
      tools = {
        model,
        changes: changesOf(model),
        finder: finderOf(graph, model, dialect),
        readNew: bodyReader(model, 'load'),
        readChange: bodyReader(model, 'amend'),
      };
      known.set(name, tools);
    }
    return tools;
  };

  return (ground) => ({
    caller: callerForCode(ground.caller),
    get now() {
      return ground.now();
    },
    get signal() {
      return ground.signal;
    },
    get log() {
      const trace = ground.request?.trace;
      return (trace && log.within?.(trace)) ?? log;
    },
    get trace() {
      return ground.request?.trace ?? null;
    },
    model: (name) => scopeModel(toolsOf(name), ground),
    refuse(detail, { status = 422, rule = 'refused', pointer = '' } = {}) {
      if (!Number.isInteger(status) || status < 400 || status > 499) {
        throw new TypeError(`a refusal has a status from 400 to 499, not ${status}`);
      }
      throw new HttpProblem('refused', detail, { status, errors: [{ pointer, rule, detail }] });
    },
  });
}
