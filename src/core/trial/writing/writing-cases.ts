import { amountField } from '../../change/draws.ts';
import type { Graph } from '../../model/graph.ts';
import type { EndpointName, Model } from '../../model/model.ts';
import { isSettable } from '../../rules/schema.ts';
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

/** A value of one member that a record can be changed to. */
export function changeOf({ model, maker }: WritingCases, other: Making): Body | undefined {
  const drawn = new Set(model.draws.map((draw) => amountField(draw)));
  for (const field of model.fields) {
    const value = other.body[field.member];
    const isPlain =
      field.origin === 'field' && isSettable(field, 'update') && !field.rules.writeOnly && !drawn.has(field);
    if (!isPlain || value === undefined || typeof value === 'object' || model.unique.some((set) => set.includes(field)))
      continue;
    if (model.rules.length > 0 && !maker.keepsRules(model, { ...other.body, [field.member]: value })) continue;
    return { [field.member]: value };
  }
  return undefined;
}
