import { readFileSync } from 'node:fs';
import { openApi } from '../../core/document/openapi.ts';
import type { Graph } from '../../core/model/graph.ts';
import { readSamples } from '../../core/samples/read.ts';
import type { SampleRow } from '../../core/samples/read.ts';
import { isRecord } from '../../core/text/value.ts';
import type { Case } from '../../core/trial/case.ts';
import { makeDocumentJudge } from '../../core/trial/document-judge.ts';
import type { TrialResult } from '../../core/trial/report/outcome.ts';
import { readScenarios } from '../../core/trial/scenarios.ts';
import { EXIT, Failure } from '../../project/failure.ts';
import type { SoundProject } from '../../project/project.ts';
import { readTrialFiles } from '../../project/read.ts';
import { readSampleFiles } from '../../project/samples.ts';
import type { Context } from '../command.ts';
import { tellProblems } from './result-text.ts';
import { runCases } from './run-cases.ts';

export interface AgainstOptions {
  /** Where the service runs. */
  readonly url: string;
  /** A JSON file with the keys of samples, by `hut/grey-hut`. */
  readonly handles?: string | undefined;
  readonly wanted: (one: Case) => boolean;
  readonly bail: boolean;
}

/**
 * Runs the scenarios of a project on a service that runs already. Nothing looks into its database, or puts back what
 * they do.
 */
export async function runAgainst(
  context: Context,
  project: SoundProject,
  { url, handles, wanted, bail }: AgainstOptions,
): Promise<{ result: TrialResult; url: string } | undefined> {
  const begun = performance.now();
  const { graph, folder } = project;
  const base = url.replace(/\/+$/, '');
  const sources = readTrialFiles(folder);
  const { rows } = readSamples(graph, readSampleFiles(folder, graph).sources);
  const keys = new Map([...ownKeys(rows), ...(handles === undefined ? [] : givenKeys(handles))]);
  const { cases, problems, skipped } = readScenarios(graph, sources, keys, false);
  if (problems.length > 0) {
    tellProblems(context, problems, sources);
    return undefined;
  }
  const chosen = cases.filter(wanted);
  const tokens = await tokensOf(graph, base, rows, chosen);
  const tried = {
    own: base,
    open: base,
    limited: base,
    tokenOf: (name: string) => tokens.get(name),
    document: makeDocumentJudge(openApi(graph)),
  };
  const outcomes = await runCases(chosen, tried, bail);
  return {
    result: { service: graph.service.name, outcomes, skipped, milliseconds: performance.now() - begun },
    url: base,
  };
}

/** The samples, with the keys that they give themselves. */
const ownKeys = (rows: readonly SampleRow[]): [string, unknown][] =>
  rows.map(({ model, handle, values }) => [`${model.name}/${handle}`, values[model.key.member]]);

function givenKeys(file: string): [string, unknown][] {
  try {
    const given = JSON.parse(readFileSync(file, 'utf8')) as unknown;
    if (isRecord(given)) return Object.entries(given);
  } catch (error) {
    throw new Failure(
      EXIT.options,
      `${file} can not be read: ${(error as Error).message}`,
      'name a JSON file with --handles',
    );
  }
  throw new Failure(EXIT.foundWrong, `${file} is no map of handles`, 'write { "hut/grey-hut": "its key" }');
}

/** Everybody who asks signs in with what the samples say. */
async function tokensOf(
  graph: Graph,
  url: string,
  rows: readonly SampleRow[],
  cases: readonly Case[],
): Promise<Map<string, string>> {
  const names = new Set(
    cases.flatMap(({ steps }) => steps.flatMap(({ as, together = [] }) => [as, ...together.map((one) => one.as)])),
  );
  const tokens = new Map<string, string>();
  const { identity } = graph;
  for (const name of names) {
    if (name === undefined || name === 'nobody' || identity?.login === undefined || identity.secret === undefined)
      continue;
    const row = rows.find(({ model, handle }) => model.name === identity.model && handle === name);
    const body = {
      [identity.login.member]: row?.values[identity.login.member],
      [identity.secret.member]: row?.values[identity.secret.member],
    };
    const answer = await signIn(`${url}${graph.service.prefix}/tokens`, body);
    if (answer === undefined) {
      throw new Failure(
        EXIT.foundWrong,
        `${identity.model}/${name} can not sign in at ${url} with what the samples say`,
        'load the samples there, or let somebody else ask',
      );
    }
    tokens.set(name, answer);
  }
  return tokens;
}

async function signIn(url: string, body: object): Promise<string | undefined> {
  let answer: Response;
  try {
    answer = await fetch(url, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(body),
    });
  } catch {
    throw new Failure(
      EXIT.options,
      `nothing answers at ${url}`,
      'start the service, or name another address with --against',
    );
  }
  return answer.ok ? ((await answer.json()) as { access_token: string }).access_token : undefined;
}
