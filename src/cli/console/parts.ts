import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { didYouMean } from '../../core/text/nearest.ts';
import type { Graph } from '../../core/model/graph.ts';
import type { Model } from '../../core/model/model.ts';
import type { Store } from '../../core/store/contract.ts';
import { isError } from '../../core/declaration/problem.ts';
import { handlesIn } from '../../project/handles.ts';
import { Failure } from '../../project/failure.ts';
import { readProject } from '../../project/project.ts';
import { Refusal } from '../../server/console/console.ts';
import type { ConsoleParts, PageFile } from '../../server/console/console.ts';
import type { LoadedProject } from '../load-project.ts';
import { samplesByKey } from '../trial/keep-walk.ts';
import { consoleService } from './asking.ts';
import type { Asked, ConsoleLog, ConsoleService } from './asking.ts';
import { describeService } from './describe.ts';
import { keepScenario, scenarioOf } from './keeping.ts';
import { matrixOf } from './matrix.ts';
import { peopleOf } from './people.ts';
import { trying } from './trying.ts';

/** What is served at the moment, and so what the page is about. */
export interface Shown {
  readonly project: LoadedProject;
  readonly store: Store;
}

/** What the page is told of the project's files while they are watched. */
export interface News {
  /** Why what is served is not what the files say; undefined where it is. */
  failure(): string | undefined;
}

/** Where the console is. */
export interface Around {
  readonly news: News;
  /** Whether it is for this machine alone: others than its own people write no files and run no trials there. */
  readonly isLocal: boolean;
}

export interface ProjectConsole extends ConsoleParts {
  /** Waits for what the page has asked for, and is still under way. */
  settled(of: Shown): Promise<void>;
}

/** The console of a project: its page, and what that asks beside the API. Nothing is made before the first question. */
export function projectConsole(shown: () => Shown, log: ConsoleLog, { news, isLocal }: Around): ProjectConsole {
  const services = new WeakMap<Shown, ConsoleService>();
  const serviceOf = (of: Shown): ConsoleService => {
    const known = services.get(of) ?? consoleService(of.project, of.store, log);
    services.set(of, known);
    return known;
  };
  // What is asked of a service that another takes the place of still needs its store.
  const underWay = new WeakMap<Shown, Set<Promise<unknown>>>();
  const whileUnderWay = <Answer>(of: Shown, answer: Promise<Answer>): Promise<Answer> => {
    const all = underWay.get(of) ?? new Set();
    underWay.set(of, all.add(answer));
    return answer.finally(() => all.delete(answer));
  };
  const trial = trying(shown().project.folder);
  // Each that is served has a number: by it the page knows that there is another.
  const numbers = new WeakMap<Shown, number>();
  let served = 0;
  const numberOf = (of: Shown): number => {
    const known = numbers.get(of) ?? (served += 1);
    numbers.set(of, known);
    return known;
  };
  return {
    files: pageFiles(),
    report: log.report,
    async settled(of) {
      // Only the last one is there to wait for.
      if (of === shown()) trial.stop();
      await Promise.allSettled([...(underWay.get(of) ?? [])]);
      await services.get(of)?.settled();
    },
    async answer(name, input) {
      const given = input as Record<string, unknown>;
      const now = shown();
      if (!isLocal && (given.start === true || given.write === true)) throw new Refusal(ONLY_LOCAL);
      try {
        switch (name) {
          case 'news':
            return newsOf(numberOf(now), now.project.folder, news.failure());
          case 'trial':
            return given.start === true ? trial.start(textOf(given.only)) : (trial.state() ?? {});
          default:
            return await whileUnderWay(now, answerOf(name, given, now, { service: serviceOf(now), isLocal }));
        }
      } catch (error) {
        if (error instanceof Failure) throw new Refusal(`${error.message}: ${error.remedy}`);
        throw error;
      }
    },
  };
}

const ONLY_LOCAL = 'trials are kept and run only where the console is on the machine itself';

interface Answering {
  readonly service: ConsoleService;
  readonly isLocal: boolean;
}

async function answerOf(
  name: string,
  given: Record<string, unknown>,
  now: Shown,
  { service, isLocal }: Answering,
): Promise<unknown> {
  const { project, store } = now;
  const { graph } = project;
  switch (name) {
    case 'service':
      return { ...describeService(graph, store.kind), isLocal, people: await peopleOf(graph, store) };
    case 'map': {
      const { diagramOf } = await import('../../core/document/diagram/parts.ts');
      const { layOut } = await import('../../core/document/diagram/layout.ts');
      const { HEAD, LINE, PAD } = await import('../../core/document/diagram/measures.ts');
      return { ...(await layOut(diagramOf(graph))), head: HEAD, line: LINE, pad: PAD };
    }
    case 'ask':
      return service.ask(readAsked(given));
    case 'plans':
      return service.plans(Number(given.id));
    case 'access': {
      const all = await peopleOf(graph, store);
      const people = among(given.people).flatMap((who) => all.find((one) => one.who === who) ?? []);
      return { people, rows: matrixOf(graph, modelCalled(graph, given.model), people) };
    }
    case 'keep': {
      const samples = samplesByKey(await handlesIn(graph, store));
      const kept = among(given.ids).map((id) => service.kept(Number(id)));
      const scenario = scenarioOf(graph, samples, String(given.name), kept);
      if (given.write === true) keepScenario(project.folder, scenario);
      return scenario;
    }
    default:
      return undefined;
  }
}

/** What is served at the moment, and what keeps the files from being served. */
function newsOf(served: number, folder: string, failure: string | undefined): object {
  if (failure === undefined) return { served, failure: null, problems: [] };
  const { problems } = readProject(folder);
  const shown = problems.filter(isError).map(({ message, remedy, place: { file, line, column } }) => ({
    ...{ message, remedy, place: `${file}:${line}:${column}` },
  }));
  return { served, failure, problems: shown };
}

const textOf = (value: unknown): string => (typeof value === 'string' ? value : '');

const among = (value: unknown): unknown[] => (Array.isArray(value) ? value : []);

function modelCalled(graph: Graph, name: unknown): Model {
  const model = graph.byName.get(String(name));
  if (model !== undefined) return model;
  throw new Refusal(`there is no model ${String(name)}: ${didYouMean(String(name), [...graph.byName.keys()])}`);
}

const METHODS = ['GET', 'HEAD', 'POST', 'PUT', 'PATCH', 'DELETE'];

function readAsked({ as, method, target, headers, body }: Record<string, unknown>): Asked {
  if (typeof target !== 'string' || !target.startsWith('/')) throw new Refusal('a path begins with a slash');
  if (!METHODS.includes(String(method))) throw new Refusal(`the methods are ${METHODS.join(', ')}`);
  const sent = Object.entries(typeof headers === 'object' && headers !== null ? headers : {});
  return {
    as: typeof as === 'string' ? as : null,
    method: String(method),
    target,
    headers: Object.fromEntries(sent.map(([name, value]) => [name.toLowerCase(), String(value)])),
    body: typeof body === 'string' ? body : null,
  };
}

const FILES = [
  ['', 'page.html', 'text/html; charset=utf-8'],
  ['page.js', 'page.js', 'text/javascript; charset=utf-8'],
  ['page.css', 'page.css', 'text/css; charset=utf-8'],
  ['icon.svg', 'icon.svg', 'image/svg+xml'],
] as const;

function pageFiles(): ReadonlyMap<string, PageFile> {
  const read = (file: string): string =>
    readFileSync(fileURLToPath(new URL(`../console/${file}`, import.meta.url)), 'utf8');
  return new Map(
    FILES.map(([name, file, type]) => {
      let text: string | undefined;
      return [
        name,
        {
          type,
          get text() {
            return (text ??= read(file));
          },
        },
      ];
    }),
  );
}
