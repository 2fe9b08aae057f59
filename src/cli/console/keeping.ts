import { existsSync, mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Graph } from '../../core/model/graph.ts';
import type { Model } from '../../core/model/model.ts';
import { yaml } from '../../core/text/libraries.ts';
import { Refusal } from '../../server/console/console.ts';
import { bodyText, decoded, pathText } from '../trial/keep-walk.ts';
import type { Samples } from '../trial/keep-walk.ts';
import type { Kept } from './asking.ts';

/** A scenario that sends requests again which the page has sent, and looks for the same answers. */
export interface Scenario {
  readonly file: string;
  readonly text: string;
}

const NAME = /^[a-z0-9][a-z0-9-]{0,59}$/;

/** Writes it among the trials of a project. Refuses a name that is none, or taken. */
export function keepScenario(folder: string, scenario: Scenario): void {
  const path = join(folder, scenario.file);
  if (existsSync(path)) throw new Refusal(`${scenario.file} is there already: give it another name`);
  mkdirSync(join(folder, 'trials'), { recursive: true });
  writeFileSync(path, scenario.text);
}

/** Keys become samples where there are such, and what an earlier step has made is kept for the later ones. */
export function scenarioOf(graph: Graph, samples: Samples, name: string, kept: readonly Kept[]): Scenario {
  if (!NAME.test(name)) throw new Refusal('a name has small letters, digits and hyphens, as last-beds');
  if (kept.length === 0) throw new Refusal('choose the requests that are to be kept');
  const made = new Map<string, string>();
  const steps = kept.map((one, at) => stepOf({ graph, samples, made }, one, at + 1));
  const text = yaml().stringify({ trial: name.replaceAll('-', ' '), as: 'nobody', steps });
  return { file: `trials/${name}.yaml`, text };
}

interface Known {
  readonly graph: Graph;
  readonly samples: Samples;
  /** The names of keys that earlier steps have made. */
  readonly made: Map<string, string>;
}

function stepOf({ graph, samples, made }: Known, kept: Kept, number: number): object {
  const { method, target, as, body, status, answer, headers } = kept;
  // Braces stand for names in a scenario, and for themselves here.
  const { path, model } = pathText(graph, samples, target.replaceAll('{', '%7B').replaceAll('}', '%7D'));
  const sent = parsed(body);
  const data = (parsed(answer) as { data?: unknown } | undefined)?.data;
  const shown = data === undefined || status >= 400 ? undefined : answerText({ graph, samples, made }, model, data);
  // What a scenario sends by itself.
  const told = Object.entries(headers).filter(
    ([name, value]) => name !== 'content-type' || !/^application\/json\b/.test(value),
  );
  const step = {
    send: `${method} ${withMade(made, path)}`,
    as: as ?? 'nobody',
    ...(told.length === 0 ? {} : { headers: Object.fromEntries(told) }),
    ...(isObject(sent) ? { body: withKeptInside(made, bodyText(samples, model, sent)) } : {}),
    expect: { status, ...(shown === undefined ? {} : { body: { data: shown } }) },
  };
  const key =
    model === undefined || method !== 'POST' || status !== 201 || !isObject(data) ? undefined : data[model.key.member];
  if (typeof key !== 'string' && typeof key !== 'number') return step;
  const name = `${model!.name.replaceAll('-', '_')}_${number}`;
  made.set(String(key), name);
  return { ...step, keep: { [name]: `/data/${model!.key.member}` } };
}

const withMade = (made: ReadonlyMap<string, string>, path: string): string =>
  path
    .split(/(?<=[/?&=])|(?=[/?&])/)
    .map((part) => {
      const name = made.get(decoded(part));
      return name === undefined ? part : `{${name}}`;
    })
    .join('');

const withKeptInside = (made: ReadonlyMap<string, string>, body: object): object =>
  Object.fromEntries(
    Object.entries(body).map(([member, value]) => {
      const name = made.get(String(value));
      return [member, name === undefined ? value : { kept: name }];
    }),
  );

/** The members of an answer that are the same each time. */
function answerText(known: Known, model: Model | undefined, data: unknown): unknown {
  // Which records a list has depends on all of them; that it has some is enough.
  if (Array.isArray(data)) return undefined;
  if (!isObject(data) || model === undefined) return undefined;
  const stable = Object.entries(data).filter(([member, value]) => {
    const field = model.byMember.get(member);
    if (field === undefined || typeof value === 'object') return false;
    if (field.origin === 'stamp' || field.origin === 'key') return false;
    if (field.refersTo === undefined) return true;
    return known.made.has(String(value)) || known.samples.has(`${field.refersTo} ${String(value)}`);
  });
  return withKeptInside(known.made, bodyText(known.samples, model, Object.fromEntries(stable)));
}

const isObject = (value: unknown): value is Record<string, never> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

function parsed(text: string | null): unknown {
  try {
    return text === null || text === '' ? undefined : JSON.parse(text);
  } catch {
    return undefined;
  }
}
