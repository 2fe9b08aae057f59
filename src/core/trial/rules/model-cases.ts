import type { EndpointName } from '../../api/endpoints.ts';
import type { Graph } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import type { Body, Expectation, Step } from '../case.ts';
import type { Maker, Making } from '../make.ts';

/** What the cases of one model are derived with. */
export interface ModelCases {
  readonly on: {
    read: false | ((kept: string, expect: Expectation) => Step);
    list: false | ((query: string, expect: Expectation) => Step);
    replace: false | ((kept: string, body: Readonly<Record<string, unknown>>, expect: Expectation) => Step);
    update: false | ((kept: string, body: Readonly<Record<string, unknown>>, expect: Expectation) => Step);
    delete: ((kept: string, expect: Expectation) => Step) | undefined;
  };
  readonly make: () => Making;
  readonly add: (endpoint: EndpointName, title: string, ...steps: (Step | readonly Step[])[]) => void;
  readonly model: Model;
  readonly turn: () => number;
  readonly maker: Maker;
  readonly skip: (title: string, why: string) => number;
  readonly graph: Graph;
}

/** The members of a body that an answer shows. */
export const shownOf = (model: Model, body: Body): Body =>
  Object.fromEntries(Object.entries(body).filter(([member]) => model.shownByMember.has(member)));
