import type { Case, Step } from '../../core/trial/case.ts';
import type { DocumentJudge } from '../../core/trial/document-judge.ts';
import { judge } from '../../core/trial/judge.ts';
import type { Answer, Fault } from '../../core/trial/judge.ts';
import { pathWithKept, valueAt, withKept } from '../../core/trial/kept.ts';

/** A request as it was sent, so that it can be sent again by hand. */
export interface Sent {
  readonly method: string;
  readonly path: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly body?: unknown;
}

export interface Outcome {
  readonly case: Case;
  readonly milliseconds: number;
  /** The first step that went wrong; undefined where all is well. */
  readonly failure?: { readonly sent: Sent; readonly answer: Answer; readonly faults: readonly Fault[] };
}

/** Sends a case's requests one after the other, and stops at the first answer that is not as expected. */
export async function runCase(one: Case, url: string, document: DocumentJudge): Promise<Outcome> {
  const begun = performance.now();
  const kept = new Map<string, unknown>();
  for (const step of one.steps) {
    const sent: Sent = {
      method: step.method,
      path: pathWithKept(step.path, kept),
      headers: headersOf(step),
      ...(step.body === undefined ? {} : { body: withKept(step.body, kept) }),
    };
    const answer = await ask(url, sent);
    const faults = [
      ...judge(step.expect, answer, kept),
      ...document.judge(sent.method, sent.path.split('?')[0]!, answer),
    ];
    if (faults.length > 0)
      return { case: one, milliseconds: performance.now() - begun, failure: { sent, answer, faults } };
    keep(step, answer, kept);
  }
  return { case: one, milliseconds: performance.now() - begun };
}

function keep(step: Step, answer: Answer, kept: Map<string, unknown>): void {
  if (step.keep !== undefined) kept.set(step.keep.name, valueAt(step.keep.pointer, answer.body));
}

function headersOf({ method, body, ifMatch }: Step): Record<string, string> {
  const type = method === 'PATCH' ? 'application/merge-patch+json' : 'application/json';
  return {
    ...(body === undefined ? {} : { 'content-type': type }),
    ...(ifMatch === undefined ? {} : { 'if-match': ifMatch }),
  };
}

async function ask(url: string, { method, path, headers, body }: Sent): Promise<Answer> {
  const sent = body === undefined ? {} : { body: JSON.stringify(body) };
  const response = await fetch(url + path, { method, headers, ...sent });
  const text = await response.text();
  return {
    status: response.status,
    headers: Object.fromEntries(response.headers),
    body: text === '' ? undefined : parsed(text),
  };
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return text;
  }
}
