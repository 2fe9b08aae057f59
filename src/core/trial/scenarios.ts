import type { Method } from '../api/endpoints.ts';
import { checkShape } from '../declaration/check-shape.ts';
import { readDocuments } from '../declaration/document.ts';
import type { Path, Source } from '../declaration/declared.ts';
import type { Problem } from '../declaration/problem.ts';
import { reporterOf } from '../declaration/reporter.ts';
import type { Reporter } from '../declaration/reporter.ts';
import { trialShape } from '../declaration/trial-shape.ts';
import type { Graph } from '../model/graph.ts';
import type { Identity } from '../model/identity.ts';
import { didYouMean } from '../text/nearest.ts';
import { isRecord } from '../text/value.ts';
import type { Answer, Fault } from './answer.ts';
import { codeFor } from './case.ts';
import type { Body, Case, Skipped, Step } from './case.ts';
import { faultOf } from './judge.ts';
import { matchFaults } from './match.ts';
import { pathOf } from './paths.ts';

/** What a scenario's file holds, once its shape has been checked. */
interface Scenario {
  readonly trial: string;
  readonly as?: string;
  readonly steps: readonly ScenarioStep[];
}

interface ScenarioStep {
  readonly send?: string;
  readonly as?: string;
  readonly body?: unknown;
  readonly headers?: Readonly<Record<string, string>>;
  readonly expect?: Expected;
  readonly keep?: Readonly<Record<string, string>>;
  readonly together?: readonly ScenarioStep[];
  readonly record?: string;
}

interface Expected {
  readonly status?: number;
  readonly statuses?: readonly number[];
  readonly body?: unknown;
  readonly headers?: Readonly<Record<string, unknown>>;
}

/** The keys of all samples, by `hut/grey-hut`; undefined where one is not known. */
export type SampleKeys = ReadonlyMap<string, unknown>;

/**
 * Reads scenarios: a case each, whose steps are sent as they stand. Where there is no database to look into, steps
 * that do are left out, and told.
 */
export function readScenarios(
  graph: Graph,
  sources: readonly Source[],
  keys: SampleKeys,
  hasDatabase = true,
): { cases: Case[]; problems: Problem[]; skipped: Skipped[] } {
  const cases: Case[] = [];
  const problems: Problem[] = [];
  const skipped: Skipped[] = [];
  for (const source of sources) {
    const read = readDocuments(source);
    problems.push(...read.problems);
    for (const document of read.documents) {
      const before = problems.length;
      const report = reporterOf(document, problems);
      const checked = checkShape(document, trialShape);
      problems.push(...checked.problems);
      if (problems.length > before) continue;
      const scenario = checked.sound as Scenario;
      const reader = scenarioReader({ graph, keys, report, hasDatabase }, scenario.as ?? 'nobody');
      const steps = scenario.steps.flatMap((step, at) => reader(step, ['steps', at]));
      if (problems.length > before) continue;
      const model = source.file.replace(/^trials\//, '');
      const looks = hasDatabase ? 0 : scenario.steps.filter((step) => step.record !== undefined).length;
      const why =
        looks === 1
          ? 'its step that looks at a record is left out'
          : `its ${looks} steps that look at records are left out`;
      if (looks > 0) skipped.push({ model, title: scenario.trial, why });
      if (!hasDatabase && scenario.steps.some(({ body }) => takesCode(body))) {
        skipped.push({ model, title: scenario.trial, why: 'it takes a code, which that service sends elsewhere' });
        continue;
      }
      if (steps.length > 0) cases.push({ model, endpoint: 'scenario', title: scenario.trial, steps });
    }
  }
  return { cases, problems, skipped };
}

interface Reading {
  readonly graph: Graph;
  readonly keys: SampleKeys;
  readonly report: Reporter;
  readonly hasDatabase: boolean;
}

/** What the steps of one scenario are read with. */
interface ScenarioReader {
  readonly report: Reporter;
  readonly keys: SampleKeys;
  readonly identity: Identity | undefined;
}

function scenarioReader(
  { graph, keys, report, hasDatabase }: Reading,
  usually: string,
): (step: ScenarioStep, path: Path) => Step[] {
  const { identity } = graph;

  const reader: ScenarioReader = { report, keys, identity };
  const usual = whoIs(reader, usually, ['as']);

  return (step, path) => {
    const { send, together, record } = step;
    const given = [send, together, record].filter((one) => one !== undefined);
    if (given.length !== 1) {
      report.error(
        'wrong-kind',
        'a step sends one request, sends several together, or looks at a record',
        'write one of send, together and record',
        path,
      );
      return [];
    }
    if (record === undefined) refuseStrangers(reader, step.expect ?? {}, [...path, 'expect']);
    if (send !== undefined) return [requestOf(reader, usual, step, path, send)];
    if (together !== undefined) {
      const all = together.flatMap((one, at) =>
        one.send === undefined ? [] : [requestOf(reader, usual, one, [...path, 'together', at], one.send)],
      );
      const [first] = all;
      if (first === undefined) return [];
      return [{ ...first, together: all, expect: { status: 200, statuses: step.expect?.statuses ?? [] } }];
    }
    // Nobody looks into the database of a running service.
    if (!hasDatabase) return [];
    const [name = ''] = record!.split('/');
    const model = graph.byName.get(name);
    if (model?.endpoints.has('read') !== true) {
      report.error(
        'unknown-model',
        `there is no model ${name} whose records can be read`,
        didYouMean(name, graph.byName.keys()),
        [...path, 'record'],
      );
      return [];
    }
    const key = encodeURIComponent(String(keyOf(reader, record!, [...path, 'record'])));
    const wanted = filled(reader, step.expect, [...path, 'expect']);
    const isGone = isRecord(wanted) && wanted.missing === true;
    const check = (answer: Answer, kept: ReadonlyMap<string, unknown>): readonly Fault[] =>
      matchFaults(wanted, (answer.body as { data?: unknown } | undefined)?.data, '', kept);
    return [
      {
        method: 'GET',
        path: `${pathOf(graph, model)}/${key}`,
        expect: isGone ? { status: 404 } : { status: 200, check },
      },
    ];
  };
}

/** Of an answer other things are expected than of a record. */
function refuseStrangers({ report }: ScenarioReader, expect: object, path: Path): void {
  for (const name of Object.keys(expect)) {
    if (EXPECTED.includes(name)) continue;
    report.error('unknown-key', `\`expect\` has no entry ${name}`, didYouMean(name, EXPECTED), [...path, name], 'key');
  }
}

function keyOf({ keys, report }: ScenarioReader, sample: string, path: Path): unknown {
  const key = keys.get(sample);
  if (key !== undefined) return key;
  if (keys.has(sample))
    report.error(
      'unknown-record',
      `the key of ${sample} in that service is not known`,
      'name it in the file of --handles',
      path,
    );
  else report.error('unknown-record', `there is no sample ${sample}`, didYouMean(sample, keys.keys()), path);
  return undefined;
}

function whoIs({ identity, report, keys }: ScenarioReader, who: string, path: Path): string {
  if (who === 'nobody') return who;
  const named = who.includes('/') ? who : `${identity?.model ?? ''}/${who}`;
  if (identity === undefined) report.error('no-identity', 'nobody signs in to this service', 'leave `as` out', path);
  else if (named.startsWith(`${identity.model}/`)) {
    if (!keys.has(named))
      report.error('unknown-record', `there is no sample ${named}`, didYouMean(named, keys.keys()), path);
  } else
    report.error('unknown-record', `${who} can not sign in`, `name a ${identity.model}, as ${identity.model}/…`, path);
  return named.slice(named.indexOf('/') + 1);
}

/** What stands for the last code that was sent to an address. */
const isCode = (value: unknown): value is { readonly code: string } =>
  isRecord(value) && Object.keys(value).length === 1 && typeof value.code === 'string' && value.code.includes('@');

/** Whether there is one in a body. */
const takesCode = (body: unknown): boolean => {
  if (isCode(body)) return true;
  return Array.isArray(body) ? body.some(takesCode) : isRecord(body) && Object.values(body).some(takesCode);
};

/** A body with the keys of samples in the places that stand for them. */
function filled(reader: ScenarioReader, value: unknown, path: Path): unknown {
  if (Array.isArray(value)) return value.map((item, at) => filled(reader, item, [...path, at]));
  if (!isRecord(value)) return value;
  const names = Object.keys(value);
  if (names.length === 1 && names[0] === 'sample') return keyOf(reader, String(value.sample), [...path, 'sample']);
  if (isCode(value)) return { kept: codeFor(value.code) };
  return Object.fromEntries(names.map((name) => [name, filled(reader, value[name], [...path, name])]));
}

function expectationOf({ status, statuses, body, headers = {} }: Expected): Step['expect'] {
  const check = (answer: Answer, kept: ReadonlyMap<string, unknown>): readonly Fault[] => [
    ...(body === undefined ? [] : matchFaults(body, answer.body, '', kept)),
    ...Object.entries(headers).flatMap(([name, wanted]) =>
      matchFaults(wanted, answer.headers[name.toLowerCase()], name, kept),
    ),
    // Without a word about it, an error of the service is never what was meant.
    ...(status === undefined && answer.status >= 500
      ? [faultOf('status', 'no error of the service', answer.status)]
      : []),
  ];
  return { status: status ?? 200, ...(status === undefined ? { statuses: statuses ?? ANY } : {}), check };
}

/** A path with keys in the places of `{model/sample}`. */
const pathWithSamples = (reader: ScenarioReader, path: string, at: Path): string =>
  path.replace(/\{([a-z][a-z0-9-]*\/[^}]+)\}/g, (_all, sample: string) =>
    encodeURIComponent(String(keyOf(reader, sample, at))),
  );

function requestOf(reader: ScenarioReader, usual: string, step: ScenarioStep, path: Path, send: string): Step {
  const [method, target] = send.split(' ') as [Method, string];
  const keep = Object.entries(step.keep ?? {}).map(([name, pointer]) => ({ name, pointer }));
  return {
    method,
    path: pathWithSamples(reader, target, [...path, 'send']),
    as: step.as === undefined ? usual : whoIs(reader, step.as, [...path, 'as']),
    ...(step.body === undefined ? {} : { body: filled(reader, step.body, [...path, 'body']) as Body }),
    ...(step.headers === undefined ? {} : { headers: step.headers }),
    expect: expectationOf({
      ...step.expect,
      body: filled(reader, step.expect?.body, [...path, 'expect', 'body']),
    }),
    keep,
    ...(takesCode(step.body) ? { takesCode: true } : {}),
  };
}

const EXPECTED = ['status', 'statuses', 'body', 'headers'];

/** Any status will do. */
const ANY = Array.from({ length: 500 }, (_none, at) => at + 100);
