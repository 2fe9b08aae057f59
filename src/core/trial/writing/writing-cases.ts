import type { Graph } from '../../model/graph.ts';
import type { EndpointName, Model } from '../../model/model.ts';
import { isSettable } from '../../rules/schema.ts';
import { amountMember } from '../../search/stock.ts';
import type { Answer } from '../answer.ts';
import type { Body, Case, Expectation, Step } from '../case.ts';
import type { Maker, Making } from '../make.ts';

/** What the cases of one model's writes are derived with. */
export interface WritingCases {
  readonly model: Model;
  readonly graph: Graph;
  readonly make: () => Making;
  readonly add: (endpoint: Case['endpoint'], title: string, ...steps: (Step | readonly Step[])[]) => void;
  readonly has: (name: EndpointName) => boolean;
  readonly collection: string;
  readonly read: (kept: string, expect: Expectation, more?: Partial<Step>) => Step;
  readonly at: (kept: string) => string;
  readonly ifMatch: '*' | undefined;
  readonly maker: Maker;
}

/** What an answer has under `data`. */
export const dataOf = ({ body }: Answer): Record<string, unknown> =>
  (body as { data?: Record<string, unknown> } | undefined)?.data ?? {};

export const isList = (value: unknown): value is unknown[] => Array.isArray(value);

/** A member of a record that was made, with another value that keeps everything; undefined where there is none. */
export function changeOf({ model, maker }: WritingCases, made: Making): Body | undefined {
  const drawn = new Set(model.draws.map((draw) => amountMember(draw)));
  const isPlain = (field: Model['fields'][number]): boolean =>
    field.origin === 'field' && isSettable(field, 'update') && !field.rules.writeOnly && !drawn.has(field.member);
  for (const field of model.fields) {
    const isBare = isPlain(field) && field.type !== 'object' && field.type !== 'json' && field.type !== 'array';
    if (!isBare || model.unique.some((set) => set.includes(field))) continue;
    const value = maker.changed(made, field);
    if (value !== undefined) return { [field.member]: value };
  }
  return undefined;
}
