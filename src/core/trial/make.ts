import { amountField } from '../change/draws.ts';
import type { Field } from '../model/field.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { FieldValue } from '../model/scalar.ts';
import { exampleValue, plenty } from '../rules/examples.ts';
import type { KnownValues } from '../rules/examples.ts';
import { isSettable } from '../rules/schema.ts';
import type { Body, Step } from './case.ts';
import { keepsRules } from './keeps-rules.ts';
import { pathOf } from './paths.ts';

/**
 * The steps that make a record and all that it can't be without, the body that made it, and the name of its kept key.
 */
export interface Making {
  readonly steps: readonly Step[];
  readonly body: Body;
  readonly kept: string;
}

/** Makes up records that keep their rules, each another one. */
export interface Maker {
  readonly graph: Graph;
  /** The time of the trial, for rules that ask for it. */
  readonly now: Date;
  turn(): number;
  /** A value that a field may have, as `exampleValue`, with what the samples have of it. */
  example(model: Model, field: Field, turn: number): FieldValue | undefined;
  /** `given` are values that it must have. */
  make(model: Model, given?: Readonly<Record<string, FieldValue>>): Making;
  /** Why no valid record of a model can be made over HTTP; undefined where one can. */
  obstacle(model: Model): string | undefined;
  keepsRules(model: Model, body: Body): boolean;
}

/** How often a body is made up anew where rules across fields rule it out. */
export const TRIES = 30;

export function makerOf(graph: Graph, known: KnownValues, now: Date): Maker {
  let count = 0;
  const maker: Maker = {
    graph,
    now,
    turn: () => (count += 1),
    example: ({ name }, field, turn) => exampleValue(field, turn, known.get(`${name}.${field.member}`) ?? []),
    make: (model, given) => makeRecord(model, maker, [], given),
    obstacle: (model) => whyNotMade(model, maker, []),
    keepsRules: (model, body) => keepsRules(model, body, now),
  };
  return maker;
}

/** Why no valid record of a model can be made over HTTP; undefined where one can. */
function whyNotMade(model: Model, maker: Maker, trail: readonly string[]): string | undefined {
  if (!model.endpoints.has('create')) return `${model.name} has no create endpoint`;
  if (trail.includes(model.name)) return `records need each other in a circle: ${[...trail, model.name].join(', ')}`;
  for (const field of model.fields) {
    if (!field.rules.required || !isSettable(field, 'create')) continue;
    if (field.refersTo !== undefined) {
      const why = whyNotMade(modelOf(maker.graph, field.refersTo), maker, [...trail, model.name]);
      if (why !== undefined) return why;
    } else if (maker.example(model, field, 1) === undefined) {
      return `no valid value of ${model.name}.${field.member} is known: give it examples, or samples`;
    }
  }
  return undefined;
}

function makeRecord(
  model: Model,
  maker: Maker,
  trail: readonly string[] = [],
  given: Readonly<Record<string, FieldValue>> = {},
): Making {
  const { graph, now, turn } = maker;
  const steps: Step[] = [];
  const body: Record<string, unknown> = {};
  const inside = [...trail, model.name];
  for (const field of model.fields) {
    if (field.refersTo === undefined || !isSettable(field, 'create')) continue;
    const target = modelOf(graph, field.refersTo);
    const canWait = !field.rules.required;
    if (canWait && (inside.includes(target.name) || whyNotMade(target, maker, inside) !== undefined)) continue;
    const other = makeRecord(target, maker, inside);
    steps.push(...other.steps);
    body[field.member] = { kept: other.kept };
  }
  for (let tried = 0; tried < TRIES; tried += 1) {
    Object.assign(body, ownValues(model, maker), given);
    if (keepsRules(model, body, now)) break;
  }
  const kept = `${model.name}${turn()}`;
  const pointer = `/data/${model.key.member}`;
  const path = pathOf(graph, model);
  steps.push({ method: 'POST', path, body, expect: { status: 201 }, keep: { name: kept, pointer } });
  return { steps, body, kept };
}

/** A value for every member that a client may set, but for keys of other records. */
function ownValues(model: Model, { example, turn }: Maker): Body {
  const values: [string, unknown][] = [];
  const drawn = new Set(model.draws.map((draw) => amountField(draw)));
  for (const field of model.fields) {
    // The hash of a secret takes a while: it is tried in its own cases.
    const slow = field.type === 'secret' && !field.rules.required;
    if (field.refersTo !== undefined || !isSettable(field, 'create') || slow) continue;
    const given = model.trial.example[field.member] ?? (field.drawnOn === true ? plenty(field) : undefined);
    // What is drawn is little, so that there is enough of it.
    const at = drawn.has(field) ? turn() % 3 : turn();
    const value = given ?? example(model, field, at);
    if (value !== undefined) values.push([field.member, value]);
  }
  return Object.fromEntries(values);
}
