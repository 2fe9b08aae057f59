import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, beforeEach, describe } from '@jest/globals';
import { openApi } from '../../src/core/document/openapi.ts';
import type { Caller } from '../../src/core/expression/context.ts';
import type { Model } from '../../src/core/model/model.ts';
import { linkedOf } from '../../src/core/model/related.ts';
import { makeDocumentJudge } from '../../src/core/trial/document-judge.ts';
import { oracleOf } from '../../src/core/trial/oracle/grants.ts';
import type { Oracle } from '../../src/core/trial/oracle/grants.ts';
import { worldState } from '../../src/core/trial/oracle/world-state.ts';
import type { Row } from '../../src/core/trial/oracle/world-state.ts';
import { keysOf, pathOf } from '../../src/core/trial/paths.ts';
import { expectations } from '../../src/core/trial/statuses.ts';
import type { Expectations } from '../../src/core/trial/statuses.ts';
import { askedProject } from './asked.ts';
import type { AskedProject, Person } from './asked.ts';
import type { TestReply } from './open-test-service.ts';
import { kinds, serverDatabases } from './databases.ts';
import { demoFolder } from './program.ts';

const at = (path: string): string => fileURLToPath(new URL(path, import.meta.url));
const PROJECTS = [
  ['the demo', demoFolder(), 'demo'],
  ['an archive', at('../fixtures/access/archive'), 'archive'],
  ['a guild whose members prove their addresses', at('../fixtures/access/guild'), 'guild'],
  ['pages without identity', at('../fixtures/access/open'), 'pages'],
] as const;
/** Records of a model that are asked for one by one. */
const SAMPLED = 7;

/** Every kind of caller, before every kind of record, and what the oracle expects. */
export type Matrix = ReturnType<typeof makeMatrix>;

/** Runs tests on each project, on both stores, asked over sockets. */
export function onEachProject(what: string, tests: (matrix: Matrix) => void): void {
  const database = serverDatabases();
  const cases = kinds.flatMap((kind) => PROJECTS.map(([whose, folder, name]) => [whose, kind, folder, name] as const));
  describe.each(cases)(`${what}: %s, on %s`, (_whose, kind, folder, name) => {
    const matrix = makeMatrix();
    beforeAll(async () => matrix.open(folder, await database(kind, `access_${name}`)));
    beforeEach(() => matrix.look());
    afterAll(() => matrix.close());
    tests(matrix);
  });
}

export const textOf = (value: unknown): string => (typeof value === 'string' ? value : JSON.stringify(value));

/** The keys of records, in one order. */
export const keysText = (model: Model, rows: readonly Row[]): string => keysOf(model, rows).join();

function makeMatrix() {
  let on: AskedProject;
  let oracle: Oracle;
  let says: Expectations;
  /** Texts that stand in one place alone, and whose it is. */
  let rows: ReadonlyMap<string, readonly Row[]>;
  let marks: { text: string; model: Model; row: Row; member: string }[];
  let checkedBy: ReturnType<typeof makeDocumentJudge>;
  const surprises: string[] = [];

  const path = (model: Model, row?: Row): string => pathOf(on.graph, model, row);
  const rowsOf = (model: Model): readonly Row[] => rows.get(model.name)!;
  const nameOf = (person: Person, what: string): string => `${person.name}: ${what}`;
  const tell = (wrong: boolean, what: string): void => void (wrong && surprises.push(what));
  const isStranger = ({ caller }: Person): boolean => caller === null && on.graph.identity !== undefined;

  function marksIn(): typeof marks {
    const counts = new Map<string, number>();
    const all: typeof marks = [];
    for (const model of on.graph.models) {
      for (const row of rowsOf(model)) {
        for (const [member, value] of Object.entries(row)) {
          const field = model.byMember.get(member);
          if (field?.rules.enum !== undefined) continue;
          const texts = field?.type === 'object' && value !== null ? Object.values(value) : [value];
          for (const text of texts) {
            if (typeof text !== 'string' || text.length < 6) continue;
            counts.set(text, (counts.get(text) ?? 0) + 1);
            all.push({ text, model, row, member });
          }
        }
      }
    }
    return all.filter(
      ({ text, model, member }) =>
        counts.get(text) === 1 && model.key.member !== member && !/^\d{4}-\d\d-\d\d/.test(text),
    );
  }

  /** Asks, and looks into whatever comes back for what this caller may not know. */
  async function ask(
    who: Person,
    method: string,
    target: string,
    body?: unknown,
    headers: Record<string, string> = {},
  ): Promise<TestReply> {
    const answer = await on.ask(who, method, target, body, headers);
    const what = `${who.name}: ${method} ${target}`;
    tell(answer.status >= 500, `${what}: ${answer.status} ${JSON.stringify(answer.body)}`);
    const text = JSON.stringify([answer.body, answer.headers]);
    const sent = decodeURIComponent(target) + JSON.stringify(body ?? '');
    for (const mark of marks) {
      if (!text.includes(mark.text) || sent.includes(mark.text)) continue;
      const { model, row, member } = mark;
      const isKnown = oracle.may(model, 'read', row, who.caller) && oracle.sees(model, member, row, who.caller);
      tell(!isKnown, `${what}: tells ${model.name}.${member} ${mark.text}`);
    }
    tell(text.includes('$scrypt$'), `${what}: tells the hash of a secret`);
    const { body: shown } = answer;
    const faults = checkedBy.judge(method, target, {
      ...answer,
      body: shown === '' ? undefined : shown,
    });
    if (method !== 'HEAD') faults.forEach((fault) => tell(true, `${what}: ${JSON.stringify(fault)}`));
    return answer;
  }

  async function pages(who: Person, target: string): Promise<Row[]> {
    const rows: Row[] = [];
    for (let next: string | null = target; next !== null;) {
      const { status, body }: TestReply = await ask(who, 'GET', next);
      if (status !== 200) throw new Error(`${next}: ${status} ${JSON.stringify(body)}`);
      rows.push(...(body.data as Row[]));
      next = body.page.next as string | null;
    }
    return rows;
  }

  const readable: Expectations['readable'] = (model, who) => says.readable(model, who);
  const barred: Expectations['barred'] = (model, verb, who) => says.barred(model, verb, who);
  const expected: Expectations['expected'] = (model, verb, row, who) => says.expected(model, verb, row, who);

  function isAsSeen(model: Model, shown: Row, row: Row, caller: Caller | null): string | undefined {
    for (const { member } of [...model.shown, ...linkedOf(model)] as { member: string }[]) {
      const wanted = oracle.seen(model, member, row, caller);
      const got =
        Array.isArray(shown[member]) && linkedOf(model).some((one) => one.member === member)
          ? [...(shown[member] as string[])].sort()
          : shown[member];
      if (JSON.stringify(got) !== JSON.stringify(wanted))
        return `${member} is ${JSON.stringify(got)}, not ${JSON.stringify(wanted)}`;
    }
    for (const { member } of model.computed) {
      if (Object.hasOwn(shown, member) !== oracle.sees(model, member, row, caller))
        return `${member} is ${textOf(shown[member])}`;
    }
    return undefined;
  }

  const sampled = (model: Model): Row[] => {
    const rows = rowsOf(model);
    return rows.filter((_row, index) => index % Math.max(1, Math.ceil(rows.length / SAMPLED)) === 0);
  };

  return {
    get on() {
      return on;
    },
    get oracle() {
      return oracle;
    },
    /** All records, as they were looked at. */
    get rows() {
      return rows;
    },
    surprises,
    async open(folder: string, database: string | undefined) {
      on = await askedProject(folder, database);
      checkedBy = makeDocumentJudge(openApi(on.graph));
    },
    /** What stands in the database now: tests before may have changed it. */
    async look() {
      surprises.splice(0);
      rows = await on.rows();
      const now = new Date();
      oracle = oracleOf(on.graph, worldState(on.graph, rows), () => now);
      says = expectations({ graph: on.graph, oracle, rowsOf });
      marks = marksIn();
    },
    close: () => on.close(),
    path,
    rowsOf,
    nameOf,
    tell,
    isStranger,
    ask,
    pages,
    readable,
    barred,
    expected,
    isAsSeen,
    sampled,
  };
}
