import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Graph } from '../../core/model/graph.ts';
import type { Model } from '../../core/model/model.ts';
import { yaml } from '../../core/text/libraries.ts';
import { isKept } from '../../core/trial/case.ts';
import type { Body, Step } from '../../core/trial/case.ts';
import type { OpenTrial } from './open-trial.ts';
import type { Walked } from './run-walk.ts';

/** Writes walks that failed as scenarios, with the statuses that the oracle says. Returns the names of the files. */
export function keepWalks(folder: string, graph: Graph, trial: OpenTrial, walked: Walked, random: number): string[] {
  const failed = walked.outcomes.filter(({ failure }) => failure !== undefined);
  const samples = samplesByKey(trial.keys);
  return failed.map(({ case: { title, steps } }, at) => {
    let taken = 0;
    const statuses = walked.statuses[at] ?? [];
    const scenario = {
      trial: title,
      as: 'nobody',
      steps: steps.map((step) => {
        const count = step.together?.length ?? 1;
        const wanted = statuses.slice(taken, taken + count);
        taken += count;
        if (step.together === undefined) return stepText(graph, samples, step, { status: wanted[0] });
        const together = step.together.map((one) => stepText(graph, samples, one));
        return { together, expect: { statuses: wanted } };
      }),
    };
    const file = join('trials', `walk-${random}-${at + 1}.yaml`);
    mkdirSync(join(folder, 'trials'), { recursive: true });
    writeFileSync(join(folder, file), yaml().stringify(scenario));
    return file;
  });
}

/** Handles of samples, by model and key: `hut 7` is `hut/seven`. */
export type Samples = ReadonlyMap<string, string>;

export const samplesByKey = (keys: ReadonlyMap<string, unknown>): Samples =>
  new Map([...keys].map(([handle, key]) => [`${handle.split('/')[0]} ${key as string | number}`, handle]));

function stepText(graph: Graph, samples: Samples, step: Step, expect?: object): object {
  const { method, path, body, as = 'nobody', headers, keep } = step;
  const kept = keep === undefined ? [] : [keep].flat().filter((one) => 'pointer' in one);
  const named = pathText(graph, samples, path);
  return {
    send: `${method} ${named.path}`,
    as: as === 'nobody' ? as : `${graph.identity!.model}/${as}`,
    ...(headers === undefined ? {} : { headers }),
    ...(body === undefined ? {} : { body: bodyText(samples, named.model, body) }),
    ...(expect === undefined ? {} : { expect }),
    ...(kept.length === 0 ? {} : { keep: Object.fromEntries(kept.map(({ name, pointer }) => [name, pointer])) }),
  };
}

/** Keys of samples are other ones each time: their handles stand for them. The model is that of the last collection. */
export function pathText(graph: Graph, samples: Samples, path: string): { path: string; model: Model | undefined } {
  const [plain = '', query] = path.split(/\?(.*)/s);
  let model: Model | undefined;
  const parts = plain.split('/').map((part) => {
    const found = graph.models.find(({ plural }) => plural === part);
    const handle = found === undefined ? samples.get(`${model?.name} ${decoded(part)}`) : undefined;
    model = found ?? model;
    return handle === undefined ? part : `{${handle}}`;
  });
  return { path: parts.join('/') + (query === undefined ? '' : `?${query}`), model };
}

/** A part of a path as the text that it stands for; one that stands for none is that of nothing, and stays. */
export function decoded(part: string): string {
  try {
    return decodeURIComponent(part);
  } catch {
    return part;
  }
}

export function bodyText(samples: Samples, model: Model | undefined, body: Body): object {
  const textOf = (target: string | undefined, value: unknown): unknown => {
    if (isKept(value) || target === undefined) return value;
    if (Array.isArray(value)) return value.map((one) => textOf(target, one));
    const handle = samples.get(`${target} ${String(value)}`);
    return handle === undefined ? value : { sample: handle };
  };
  const targetOf = (member: string): string | undefined =>
    model?.byMember.get(member)?.refersTo ?? model?.links.find((one) => one.member === member)?.target;
  return Object.fromEntries(Object.entries(body).map(([member, value]) => [member, textOf(targetOf(member), value)]));
}
