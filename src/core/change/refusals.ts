import { pointerTo } from '../api/failure.ts';
import type { Failure } from '../api/failure.ts';
import { brokenRules, HttpProblem } from '../api/problems.ts';
import type { Field } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import { canonical, isSame } from '../model/value.ts';
import type { Values } from '../rules/schema.ts';
import { StoreError } from '../store/contract.ts';
import { quoted } from '../text/value.ts';
import { takenFailure } from './taken.ts';

/** Clients may send back members that they may not change, with the value that they read: what is another value. */
export function changesRefused(repeated: ReadonlyMap<Field, unknown>, record: Values): Failure[] {
  const failures: Failure[] = [];
  for (const [field, value] of repeated) {
    const read = value === null ? { value: null } : canonical(field, value);
    if ('value' in read && isSame(read.value, record[field.member] ?? null)) continue;
    const pointer = pointerTo(field.member);
    const moved = field.origin === 'stamp' ? 'stamp' : field.drawnOn === true ? 'drawn-on' : undefined;
    if (moved !== undefined) {
      const detail =
        `is ${quoted(record[field.member] ?? null)} now, got ` +
        `${quoted(value)}; leave it out, or read the record again`;
      throw new HttpProblem('moved-on', undefined, { errors: [{ pointer, rule: moved, detail }] });
    }
    const rule = field.rules.readOnly ? 'readOnly' : 'immutable';
    const detail = rule === 'readOnly' ? 'is set by the service alone' : 'can not be changed once it is set';
    failures.push({
      pointer,
      rule,
      detail: `${detail}; leave it out, or send ${quoted(record[field.member] ?? null)}`,
    });
  }
  return failures;
}

/** The problem for a client where a store refuses something. Other errors stay as they are. */
export async function asProblem<Result>(
  graph: Graph,
  what: 'write' | 'delete',
  work: Promise<Result>,
): Promise<Result> {
  try {
    return await work;
  } catch (error) {
    if (!(error instanceof StoreError)) throw error;
    const { fault } = error;
    if (fault.kind === 'foreign-key' && what === 'write') {
      // It was there a moment ago.
      throw brokenRules([
        { pointer: '', rule: 'unknown-record', detail: 'a record that it refers to has been deleted' },
      ]);
    }
    if (fault.kind === 'foreign-key') {
      throw new HttpProblem('still-referred-to', 'other records still refer to a record that would be deleted with it');
    }
    if (fault.kind !== 'unique') throw error;
    throw taken(graph, fault.table, fault.columns) ?? error;
  }
}

function taken(graph: Graph, table: string, columns: readonly string[]): HttpProblem | undefined {
  const model = graph.models.find((candidate) => candidate.table === table);
  const fields = columns
    .map((column) => model?.fields.find((field) => field.column === column))
    .filter((field) => field !== undefined);
  if (model === undefined || fields.length === 0) return undefined;
  return new HttpProblem('taken', undefined, { errors: [takenFailure(model, fields)] });
}
