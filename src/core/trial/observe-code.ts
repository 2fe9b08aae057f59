import { HttpProblem } from '../api/problems.ts';
import type { Code } from '../change/code.ts';
import type { Hook, HookName, Hooks } from '../change/hooks.ts';
import type { Scope, ScopeModel } from '../change/scope.ts';

/** What the project's own code did while a request was answered. */
export interface CodeNote {
  /** `beforeCreate of stay`, or `stay.cancel`. */
  readonly where: string;
  readonly did: 'refused' | 'changed' | 'threw';
  /** What it refused with, or threw. */
  readonly detail: string;
  /** What it threw, where that is no refusal. */
  readonly error?: unknown;
}

/** Collects what the project's own code does. */
export interface CodeWatch {
  /** The same code, watched. */
  readonly code: Code;
  /** What it did since the last call. */
  take(): readonly CodeNote[];
}

/** A watch over a project's code: an answer that its hooks changed can't be predicted from the declarations. */
export function watchCode(code: Code): CodeWatch {
  let notes: CodeNote[] = [];
  const note = (one: CodeNote): number => notes.push(one);
  const hooks = new Map(
    [...code.hooks].map(([model, handlers]) => [
      model,
      Object.fromEntries(
        Object.entries(handlers).map(([name, hook]) => [
          name,
          watchedHook(`${name} of ${model}`, name as HookName, hook, note),
        ]),
      ) as Hooks['handlers'],
    ]),
  );
  const operations = new Map(
    [...code.operations].map(([name, run]) => {
      const watched = async (input: unknown, scope: Scope): Promise<unknown> => {
        note({ where: name, did: 'changed', detail: 'it ran' });
        return called(name, note, () => (run as (...all: unknown[]) => unknown)(input, scope));
      };
      return [name, watched];
    }),
  );
  return {
    code: { ...code, hooks, operations },
    take() {
      const taken = notes;
      notes = [];
      return taken;
    },
  };
}

type Note = (one: CodeNote) => void;

async function called(where: string, note: Note, run: () => unknown): Promise<unknown> {
  try {
    return await run();
  } catch (error) {
    const isRefusal = error instanceof HttpProblem;
    const detail = isRefusal ? (error.options.errors?.[0]?.detail ?? error.message) : String(error);
    note({ where, did: isRefusal ? 'refused' : 'threw', detail, ...(isRefusal ? {} : { error }) });
    throw error;
  }
}

function watchedHook(where: string, name: HookName, hook: Hook, note: Note): Hook {
  // What happens after the commit changes no answer.
  if (name === 'afterCommit') return hook;
  const run = hook as unknown as (...given: unknown[]) => unknown;
  const watched = async (...given: unknown[]): Promise<unknown> => {
    const [draft] = given;
    const before = JSON.stringify(draft);
    const scope = watchedScope(given.at(-1) as Scope, () =>
      note({ where, did: 'changed', detail: 'it wrote records' }),
    );
    const result = await called(where, note, () => run(...given.slice(0, -1), scope));
    if (JSON.stringify(draft) !== before) note({ where, did: 'changed', detail: 'it changed the record' });
    return result;
  };
  return watched;
}

/** A scope that reports its writes. */
function watchedScope(scope: Scope, wrote: () => void): Scope {
  const model = (name: string): ScopeModel => {
    const records = scope.model(name);
    const reporting =
      <Given extends unknown[], Result>(write: (...given: Given) => Promise<Result>) =>
      (...given: Given): Promise<Result> => {
        wrote();
        return write(...given);
      };
    return {
      ...records,
      create: reporting(records.create),
      update: reporting(records.update),
      delete: reporting(records.delete),
    };
  };
  return Object.create(scope, { model: { value: model, enumerable: true } }) as Scope;
}
