import type { Fault } from '../answer.ts';
import { faultOf } from '../judge.ts';
import { isAlike } from '../oracle/shown.ts';
import type { JournalLine, Row, WorldState } from '../oracle/world-state.ts';
import { keyTextOf } from '../oracle/world-state.ts';

/** What stands in the database other than the oracle has it. */
export function worldFaults(wanted: WorldState, found: WorldState): Fault[] {
  return wanted.graph.models.flatMap((model): Fault[] => {
    const nameOf = (row: Row): string => `${model.name} ${keyTextOf(row[model.key.member])}`;
    const missing = wanted
      .allOf(model.name)
      .filter((row) => found.byKey(model.name, row[model.key.member]) === undefined);
    const strange = found
      .allOf(model.name)
      .filter((row) => wanted.byKey(model.name, row[model.key.member]) === undefined);
    const changed = found.allOf(model.name).flatMap((row): Fault[] => {
      const other = wanted.byKey(model.name, row[model.key.member]);
      return other === undefined
        ? []
        : model.fields
            .filter(({ type, member }) => type !== 'secret' && !isAlike(row[member] ?? null, other[member] ?? null))
            .map(({ member }) => faultOf(`${nameOf(row)} ${member}, in the database`, other[member], row[member]));
    });
    return [
      ...missing.map((row) => faultOf(`${nameOf(row)}, in the database`, 'a record', 'none')),
      ...strange.map((row) => faultOf(`${nameOf(row)}, in the database`, 'none', 'a record')),
      ...changed,
    ];
  });
}

/** What the journal says of records other than the oracle: who did what, in the order of each record. */
export function journalFaults({ linesBefore, journal }: WorldState, all: readonly JournalLine[]): Fault[] {
  const [wanted, found] = [linesOf(journal), linesOf(all.slice(linesBefore))];
  return [...new Set([...wanted.keys(), ...found.keys()])].flatMap((record) => {
    const [right, got] = [wanted.get(record) ?? [], found.get(record) ?? []];
    return right.join() === got.join() ? [] : [faultOf(`the journal of ${record}`, right, got)];
  });
}

function linesOf(lines: readonly JournalLine[]): Map<string, string[]> {
  const byRecord = new Map<string, string[]>();
  for (const { model, record, action, by } of lines) {
    const name = `${model} ${record}`;
    byRecord.set(name, [...(byRecord.get(name) ?? []), `${action} by ${by ?? 'nobody'}`]);
  }
  return byRecord;
}
