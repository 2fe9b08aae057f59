import { pointerTo } from '../api/failure.ts';
import type { Failure } from '../api/failure.ts';
import { brokenRules, HttpProblem } from '../api/problems.ts';
import type { Field } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import { partsOf } from '../model/joined-key.ts';
import type { Model } from '../model/model.ts';
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
    if (fault.kind === 'too-long' && what === 'write') throw tooLong(graph, fault.columns);
    if (graph.fitted !== undefined && 'ofValue' in fault && fault.ofValue !== undefined)
      throw ofDatabase(what, fault.ofValue);
    if (fault.kind !== 'unique') throw error;
    throw taken(graph, fault.table, fault.columns) ?? error;
  }
}

/** Only the database knows how much fits: which model is meant is all the same for the name of a member. */
function tooLong({ models }: Graph, columns: readonly string[]): HttpProblem {
  const fields = models.flatMap((model) => fieldsWith(model, columns));
  const pointer = fields[0] === undefined ? '' : pointerTo(fields[0].member);
  return brokenRules([{ pointer, rule: 'maxLength', detail: 'is longer than the database can keep in an index' }]);
}

/** A database that was there already may have rules that the models know nothing of. */
function ofDatabase(what: 'write' | 'delete', named: string): HttpProblem {
  const detail = `a rule of the database does not allow it${named === '' ? '' : `: ${named}`}`;
  return what === 'delete'
    ? new HttpProblem('still-referred-to', detail)
    : brokenRules([{ pointer: '', rule: 'database', detail }]);
}

function taken(graph: Graph, table: string, columns: readonly string[]): HttpProblem | undefined {
  const model = graph.models.find((candidate) => candidate.table === table);
  const fields = model === undefined ? [] : fieldsWith(model, columns);
  if (model === undefined || fields.length === 0) return undefined;
  return new HttpProblem('taken', undefined, { errors: [takenFailure(model, fields)] });
}

/** The fields that columns belong to, in the order of those: several may be of one reference. */
function fieldsWith({ fields, key }: Model, columns: readonly string[]): Field[] {
  const columnsOf = (field: Field): readonly Field[] => (field === key ? [field] : partsOf(field));
  const found = columns.map((column) =>
    fields.find((field) => columnsOf(field).some((part) => part.column === column)),
  );
  return [...new Set(found.filter((field) => field !== undefined))];
}
