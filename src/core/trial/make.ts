import { amountField } from '../change/draws.ts';
import type { FieldValue, Graph, Model } from '../model/graph.ts';
import { modelOf } from '../model/graph.ts';
import { isSettable } from '../rules/schema.ts';
import type { Body, Step } from './case.ts';
import { exampleValue, plenty } from './examples.ts';
import type { KnownValues } from './examples.ts';
import { keepsRules } from './keeps-rules.ts';

/** The steps that make a record and all that it can't be without, the body that made it, and the name of its kept key. */
export interface Making {
  readonly steps: readonly Step[];
  readonly body: Body;
  readonly kept: string;
}

/** Makes up records that keep their rules, each another one. */
export interface Maker {
  readonly graph: Graph;
  readonly known: KnownValues;
  /** The time of the trial, for rules that ask for it. */
  readonly now: Date;
  turn(): number;
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
    known,
    now,
    turn: () => (count += 1),
    make: (model, given) => makeRecord(graph, model, maker, [], given),
    obstacle: (model) => whyNotMade(graph, model, known, []),
    keepsRules: (model, body) => keepsRules(model, body, now),
  };
  return maker;
}

/** Why no valid record of a model can be made over HTTP; undefined where one can. */
function whyNotMade(graph: Graph, model: Model, known: KnownValues, trail: readonly string[]): string | undefined {
  if (!model.endpoints.has('create')) return `${model.name} has no create endpoint`;
  if (trail.includes(model.name)) return `records need each other in a circle: ${[...trail, model.name].join(', ')}`;
  for (const field of model.fields) {
    if (!field.rules.required || !isSettable(field, 'create')) continue;
    if (field.refersTo !== undefined) {
      const why = whyNotMade(graph, modelOf(graph, field.refersTo), known, [...trail, model.name]);
      if (why !== undefined) return why;
    } else if (exampleValue(field, 1, known.get(`${model.name}.${field.member}`) ?? []) === undefined) {
      return `no valid value of ${model.name}.${field.member} is known: give it examples, or samples`;
    }
  }
  return undefined;
}

function makeRecord(
  graph: Graph,
  model: Model,
  source: Maker,
  trail: readonly string[] = [],
  given: Readonly<Record<string, FieldValue>> = {},
): Making {
  // prettier-ignore
  const { known, now, turn } = source;
  const steps: Step[] = [];
  const body: Record<string, unknown> = {};
  const inside = [...trail, model.name];
  for (const field of model.fields) {
    if (field.refersTo === undefined || !isSettable(field, 'create')) continue;
    const target = modelOf(graph, field.refersTo);
    const canWait = !field.rules.required;
    if (canWait && (inside.includes(target.name) || whyNotMade(graph, target, known, inside) !== undefined)) continue;
    const other = makeRecord(graph, target, source, inside);
    steps.push(...other.steps);
    body[field.member] = { kept: other.kept };
  }
  for (let tried = 0; tried < TRIES; tried += 1) {
    Object.assign(body, ownValues(model, known, turn), given);
    if (keepsRules(model, body, now)) break;
  }
  const kept = `${model.name}${turn()}`;
  const pointer = `/data/${model.key.member}`;
  const path = `${graph.service.prefix}/${model.plural}`;
  steps.push({ method: 'POST', path, body, expect: { status: 201 }, keep: { name: kept, pointer } });
  return { steps, body, kept };
}

/** A value for every member that a client may set, but for keys of other records. */
function ownValues(model: Model, known: KnownValues, turn: () => number): Body {
  const values: [string, unknown][] = [];
  const drawn = new Set(model.draws.map((draw) => amountField(draw)));
  for (const field of model.fields) {
    // The hash of a secret takes a while: it is tried in its own cases.
    const slow = field.type === 'secret' && !field.rules.required;
    if (field.refersTo !== undefined || !isSettable(field, 'create') || slow) continue;
    const given = model.trial.example[field.member] ?? (field.drawnOn === true ? plenty(field) : undefined);
    // What is drawn is little, so that there is enough of it.
    const at = drawn.has(field) ? turn() % 3 : turn();
    const value = given ?? exampleValue(field, at, known.get(`${model.name}.${field.member}`) ?? []);
    if (value !== undefined) values.push([field.member, value]);
  }
  return Object.fromEntries(values);
}
