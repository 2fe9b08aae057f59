import { endpointsOf } from '../api/endpoints.ts';
import type { Endpoint, EndpointName } from '../api/endpoints.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { KnownValues } from '../rules/examples.ts';
import { deriveAccess } from './access/derive.ts';
import type { Body, Case, Expectation, Skipped, Step } from './case.ts';
import { deriveLimits } from './derive-limits.ts';
import { makerOf } from './make.ts';
import type { Maker, Making } from './make.ts';
import { pathOf } from './paths.ts';
import { deriveReading } from './reading/derive.ts';
import { deriveAcross, deriveRules } from './rules/breaking.ts';
import type { ModelCases } from './rules/model-cases.ts';
import { deriveRelations, deriveUnique } from './rules/relating.ts';
import { deriveConditions, deriveUsual } from './rules/usual.ts';
import { worldState } from './oracle/world-state.ts';
import type { World } from './world.ts';
import { deriveWriting } from './writing/derive.ts';

export interface Derived {
  readonly cases: readonly Case[];
  readonly skipped: readonly Skipped[];
}

/**
 * The cases that follow from the declarations alone. With a `world`, the sample data, also those that compare what
 * lists find and what callers see with the same worked out in JavaScript.
 */
export function deriveCases(graph: Graph, known: KnownValues, now: Date, world?: World): Derived {
  const maker = makerOf(graph, known, now, world?.state ?? worldState(graph, new Map()));
  const limits = deriveLimits(graph, world?.people.find(({ caller }) => caller !== null)?.name);
  const results = graph.models.map((model): Derived => {
    const rules = deriveForModel(graph, model, maker);
    const more = [
      ...deriveWriting(model, maker),
      ...(world === undefined ? [] : [...deriveReading(world, model), ...deriveAccess(world, model)]),
    ];
    const ofModel = ({ model: name }: Case | Skipped): boolean => name === model.name;
    return chosenOf(
      model,
      [...rules.cases, ...more, ...limits.cases.filter(ofModel)],
      [...rules.skipped, ...limits.skipped.filter(ofModel)],
    );
  });
  return { cases: results.flatMap(({ cases }) => cases), skipped: results.flatMap(({ skipped }) => skipped) };
}

/** Without the cases that the model skips, by a part of their title; they are reported. */
function chosenOf({ name, trial }: Model, cases: readonly Case[], skipped: readonly Skipped[]): Derived {
  const isLeftOut = ({ title, endpoint }: Case): boolean =>
    trial.skip.some(
      (text) =>
        title.includes(text) || endpoint === text || (text === `${endpoint}-edge` && /: (taken|refused)$/.test(title)),
    );
  const left = cases.filter(isLeftOut).map(({ title }): Skipped => ({ model: name, title, why: 'the model says so' }));
  return { cases: cases.filter((one) => !isLeftOut(one)), skipped: [...skipped, ...left] };
}

function deriveForModel(graph: Graph, model: Model, maker: Maker): Derived {
  const { turn } = maker;
  const cases: Case[] = [];
  const skipped: Skipped[] = [];
  const endpoints = new Map(
    endpointsOf(graph, model)
      .filter(({ under, operation }) => under === undefined && operation === undefined)
      .map((endpoint) => [endpoint.name, endpoint]),
  );
  const skip = (title: string, why: string): number => skipped.push({ model: model.name, title, why });
  const obstacle = maker.obstacle(model);
  if (obstacle !== undefined) {
    skip('all cases', obstacle);
    return { cases, skipped };
  }
  const add = (endpoint: EndpointName, title: string, ...steps: (Step | readonly Step[])[]): void => {
    const flat = steps.flat();
    const sent = new Set(flat.map((step) => `${step.method} ${step.path}`));
    if (sent.size > 0 && endpoints.has(endpoint)) cases.push({ model: model.name, endpoint, title, steps: flat });
  };
  const make = (): Making => maker.make(model);
  const on = stepsFor(graph, model, endpoints);

  const derivation: ModelCases = { on, make, add, model, turn, maker, skip, graph };
  deriveUsual(derivation, endpoints.get('create')!.path);
  if (model.conditional) deriveConditions(derivation);
  deriveRules(derivation);
  deriveAcross(derivation);
  deriveUnique(derivation);
  deriveRelations(derivation);
  return { cases, skipped };
}

function stepsFor(graph: Graph, model: Model, endpoints: ReadonlyMap<EndpointName, Endpoint>) {
  const collection = pathOf(graph, model);
  const has = (name: EndpointName): boolean => endpoints.has(name);
  const record = (kept: string): string => `${collection}/{${kept}}`;
  // Any state: the model requires the header.
  const ifMatch = model.conditional ? '*' : undefined;
  const changing =
    (method: 'PUT' | 'PATCH') =>
    (kept: string, body: Body, expect: Expectation): Step => ({
      method,
      path: record(kept),
      body,
      ifMatch,
      expect,
    });
  return {
    read: has('read') && ((kept: string, expect: Expectation): Step => ({ method: 'GET', path: record(kept), expect })),
    list:
      has('list') &&
      ((query: string, expect: Expectation): Step => ({ method: 'GET', path: collection + query, expect })),
    replace: has('replace') && changing('PUT'),
    update: has('update') && changing('PATCH'),
    delete: has('delete')
      ? (kept: string, expect: Expectation): Step => ({ method: 'DELETE', path: record(kept), ifMatch, expect })
      : undefined,
  };
}
