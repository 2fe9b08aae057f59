import { pointerTo } from '../api/failure.ts';
import { brokenRules } from '../api/problems.ts';
import type { Model } from '../model/model.ts';
import { linkedOf } from '../model/related.ts';
import type { FieldValue } from '../model/scalar.ts';
import { isSame } from '../model/value.ts';
import { linkSpec, valueReader } from '../rules/schema.ts';
import type { Values } from '../rules/schema.ts';
import { blamed, CodeError } from './code.ts';
import type { Code } from './code.ts';
import { forCode } from './for-code.ts';
import type { HookName } from './hooks.ts';
import { refusePending } from './make-scopes.ts';
import type { Scope } from './scope.ts';
import type { UnitOfWork } from './unit-of-work.ts';

/** The hooks of one model. */
export interface HookRunner {
  has(name: HookName): boolean;
  /** Runs a hook that does not change its arguments. */
  run(name: HookName, work: UnitOfWork, ...records: Values[]): Promise<void>;
  /**
   * Runs a hook that may change a copy of the draft. Returns the members that it set, checked by their rules; removed
   * members are undefined.
   */
  draft(
    name: 'beforeCreate' | 'beforeUpdate',
    work: UnitOfWork,
    draft: Values,
    ...records: Values[]
  ): Promise<Record<string, FieldValue | undefined>>;
}

/** Hooks whose writes call hooks, whose writes … */
const DEEPEST = 16;

export function makeHookRunner(model: Model, code: Code, scopeOf: (work: UnitOfWork) => Scope): HookRunner {
  const handlers = code.hooks.get(model.name) ?? {};
  const specs = new Map([
    ...model.fields.map((field) => [field.member, field] as const),
    ...linkedOf(model).map((links) => [links.member, linkSpec(links)] as const),
  ]);
  const readers = new Map([...specs].map(([member, spec]) => [member, valueReader(spec, pointerTo(member))]));

  async function call(name: HookName, work: UnitOfWork, given: readonly unknown[]): Promise<void> {
    const where = `${name} of ${model.name}`;
    if (work.depth >= DEEPEST) {
      throw new CodeError(
        where,
        `hooks write records whose hooks write records, ${DEEPEST} deep: does one call itself?`,
      );
    }
    work.depth += 1;
    try {
      const { pending } = work.calls;
      await (handlers[name] as (...all: unknown[]) => unknown)(...given, scopeOf(work));
      refusePending(work.calls, pending, where);
    } catch (error) {
      throw blamed(error, where);
    } finally {
      work.depth -= 1;
    }
  }

  const seen = (record: Values): unknown => frozen(forCode(model, record));

  return {
    has: (name) => handlers[name] !== undefined,

    async run(name, work, ...records) {
      if (handlers[name] !== undefined) await call(name, work, records.map(seen));
    },

    async draft(name, work, draft, ...records) {
      if (handlers[name] === undefined) return {};
      const before = forCode(model, draft);
      const copy = structuredClone(before) as Record<string, FieldValue>;
      await call(name, work, [copy, ...records.map(seen)]);
      const set: Record<string, FieldValue | undefined> = {};
      const failures = [];
      for (const [member, value] of Object.entries(copy)) {
        if (Object.hasOwn(before, member) && isSame(value, before[member])) continue;
        const read = readers.get(member);
        if (read === undefined) throw new CodeError(`${name} of ${model.name}`, `there is no member ${member} to set`);
        const { value: sound, failures: found } = read(value ?? null);
        set[member] = sound;
        failures.push(...found);
      }
      if (failures.length > 0) throw brokenRules(failures);
      for (const member of Object.keys(before)) if (!Object.hasOwn(copy, member)) set[member] = undefined;
      return set;
    },
  };
}

/** A frozen copy: changes by a hook would be lost. */
function frozen(value: Values): Values {
  const copy = structuredClone(value);
  const freeze = (part: unknown): void => {
    if (typeof part !== 'object' || part === null) return;
    Object.values(part).forEach(freeze);
    Object.freeze(part);
  };
  freeze(copy);
  return copy;
}
