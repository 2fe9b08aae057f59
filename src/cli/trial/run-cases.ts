import type { Answer, Fault } from '../../core/trial/answer.ts';
import type { Answered, Outcome, Sent } from '../../core/trial/report/outcome.ts';
import type { Case, Step } from '../../core/trial/case.ts';
import type { DocumentJudge } from '../../core/trial/document-judge.ts';
import { faultOf, judge } from '../../core/trial/judge.ts';
import { pathWithKept, valueAt, withKept } from '../../core/trial/kept.ts';

/** Where cases are sent. */
export interface Tried {
  /** A service in which everybody may do everything: it is for what doesn't depend on who asks. */
  readonly open: string;
  /** The service as it is. */
  readonly own: string;
  /** The token of somebody, by their name; nobody has none. */
  tokenOf(name: string): string | undefined;
  readonly document: DocumentJudge;
}

/** Sends a case's requests one after the other, and stops at the first answer that is not as expected. */
export async function runCase(one: Case, tried: Tried): Promise<Outcome> {
  const begun = performance.now();
  const kept = new Map<string, unknown>();
  const answered: Answered[] = [];
  const done = (failure?: Outcome['failure']): Outcome => ({ case: one, milliseconds: performance.now() - begun, answered, ...(failure === undefined ? {} : { failure }) }); // prettier-ignore
  for (const step of one.steps) {
    const sent: Sent = {
      method: step.method,
      path: pathWithKept(step.path, kept),
      headers: headersOf(step, kept),
      ...(step.body === undefined ? {} : { body: withKept(step.body, kept) }),
      ...(step.as === undefined ? {} : { as: step.as }),
    };
    const answers = await Promise.all(Array.from({ length: step.times ?? 1 }, () => ask(tried, sent)));
    answered.push(
      ...answers.map(({ status }) => ({ method: sent.method, path: sent.path.split('?')[0]!, status, as: sent.as })),
    );
    const faults = answers.flatMap((answer) => tried.document.judge(sent.method, sent.path.split('?')[0]!, answer));
    const [first] = answers as [Answer];
    const answer = step.pages === true && first.status === 200 ? await thereAndBack(tried, sent, first) : first;
    faults.push(...(step.times === undefined ? judge(step.expect, answer, kept) : together(step, answers)));
    if (faults.length > 0) return done({ sent, answer, faults });
    keep(step, answer, kept);
  }
  return done();
}

/** What came back of one request that was sent several times at once, in any order. */
function together({ expect: { statuses = [] } }: Step, answers: readonly Answer[]): Fault[] {
  const [wanted, got] = [[...statuses].sort(), answers.map(({ status }) => status).sort()];
  return wanted.join() === got.join() ? [] : [faultOf('the statuses of all', wanted, got)];
}

/** Far more than the pages of any samples: a list that never ends is at fault. */
const MOST_PAGES = 2_000;

/** All records of a list from its first page on, and all again from its last page back. */
async function thereAndBack(tried: Tried, sent: Sent, first: Answer): Promise<Answer> {
  type Page = { data: unknown[]; page: { next: string | null; prev: string | null } }; // eslint-disable-line @typescript-eslint/consistent-type-definitions
  const pageAt = async (path: string): Promise<Answer> => ask(tried, { ...sent, path });
  let [last, pages] = [first, 1];
  const data = [...(first.body as Page).data];
  for (let next = (first.body as Page).page.next; next !== null && pages < MOST_PAGES; pages += 1) {
    last = await pageAt(next);
    if (last.status !== 200) return last;
    data.push(...(last.body as Page).data);
    next = (last.body as Page).page.next;
  }
  const back = [...(last.body as Page).data];
  for (let prev = (last.body as Page).page.prev; prev !== null && pages > 0; pages -= 1) {
    const page = await pageAt(prev);
    if (page.status !== 200) return page;
    back.unshift(...(page.body as Page).data);
    prev = (page.body as Page).page.prev;
  }
  return { ...first, body: { ...(first.body as object), data, back } };
}

function keep({ keep: kept }: Step, answer: Answer, all: Map<string, unknown>): void {
  if (kept === undefined) return;
  all.set(kept.name, 'header' in kept ? answer.headers[kept.header] : valueAt(kept.pointer, answer.body));
}

function headersOf(
  { method, body, type, ifMatch, headers = {} }: Step,
  kept: ReadonlyMap<string, unknown>,
): Record<string, string> {
  // prettier-ignore
  const usual = method === 'PATCH' ? 'application/merge-patch+json' : 'application/json';
  const given = Object.entries(headers).map(([name, value]) => [name, value.replace(/\{([^}]+)\}/g, (_all, one: string) => String(kept.get(one)))]); // prettier-ignore
  return {
    ...(body === undefined ? {} : { 'content-type': type ?? usual }),
    ...(ifMatch === undefined ? {} : { 'if-match': ifMatch }),
    ...(Object.fromEntries(given) as Record<string, string>),
  };
}

async function ask(tried: Tried, { method, path, headers, body, as }: Sent): Promise<Answer> {
  const token = as === undefined ? undefined : tried.tokenOf(as);
  const response = await fetch((as === undefined ? tried.open : tried.own) + path, {
    method,
    headers: { ...headers, ...(token === undefined ? {} : { authorization: `Bearer ${token}` }) },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
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
