import type { Permissions } from '../access/permissions.ts';
import { pointerTo } from '../api/failure.ts';
import type { Failure } from '../api/failure.ts';
import type { Field } from '../model/field.ts';
import { ownerField } from '../model/related.ts';
import { isSame } from '../model/value.ts';
import { isMerged, valueReader } from '../rules/schema.ts';
import type { ReadBody, Values } from '../rules/schema.ts';
import type { LockedRecord } from './contract.ts';
import { mergePatch } from './merge-patch.ts';
import type { ModelWriting } from './model-writing.ts';
import { refuseSetting } from './write-permissions.ts';

/** What a body asks of a locked record. */
export interface RequestedValues {
  /** Stock that this caller may set by name, and what the body repeats of other members that it may not change. */
  stockIn(body: ReadBody, locked: LockedRecord): Read & { readonly repeated: ReadonlyMap<Field, unknown> };
  /** The values that a body gives, with its patches merged into those of the record. */
  givenBy(body: ReadBody, seen: Values): Read;
  /** What a client wants to set, without members that it only repeats. */
  settable(asked: Values, locked: LockedRecord, permissions: Permissions): Values;
  /** The values to set, without those that the client cannot mean because they are hidden from it. */
  keepingHidden(set: Values, wanted: Values, locked: LockedRecord): Values;
  /** Whether a client asks for anything but what it sees. */
  isMore(wanted: Values, seen: Values): boolean;
}

/** Values, and the rules that they break. */
interface Read {
  readonly values: Values;
  readonly failures: readonly Failure[];
}

export function requestedValues({ model, links }: ModelWriting): RequestedValues {
  const mergers = new Map(
    model.fields.filter(isMerged).map((field) => [field, valueReader(field, pointerTo(field.member))]),
  );
  const stocks = model.fields.filter(({ drawnOn, member }) => drawnOn === true && model.access.set.has(member));
  const stockReaders = new Map(stocks.map((field) => [field, valueReader(field, pointerTo(field.member))]));
  const owner = ownerField(model);

  return {
    stockIn({ repeated: given }, { sets }) {
      const free = [...given].filter(([field]) => stockReaders.has(field) && sets(field.member));
      if (free.length === 0) return { values: {}, failures: [], repeated: given };
      const read = free.map(([field, value]) => ({ member: field.member, ...stockReaders.get(field)!(value) }));
      const values = Object.fromEntries(read.map(({ member, value }) => [member, value]));
      const repeated = new Map([...given].filter(([field]) => !Object.hasOwn(values, field.member)));
      return { values, failures: read.flatMap((one) => one.failures), repeated };
    },

    givenBy({ values, patches }, seen) {
      const read = merged(patches, seen, mergers);
      return { values: { ...withoutAbsent(values), ...read.values }, failures: read.failures };
    },

    settable(asked, { seen, sets }, permissions) {
      const closed = Object.keys(asked).filter((member) => !sets(member));
      refuseSetting(
        permissions,
        model,
        closed.filter((member) => !Object.hasOwn(seen, member) || !isSame(asked[member], seen[member])),
      );
      return Object.fromEntries(Object.entries(asked).filter(([member]) => !closed.includes(member)));
    },

    // Hidden: members left out, relations that are null to this viewer alone, links to records it may not read.
    keepingHidden(set, wanted, { record, seen, sets }) {
      const kept: Values = {};
      for (const [member, value] of Object.entries(set)) {
        const field = model.byMember.get(member);
        const isLeftOut = !Object.hasOwn(wanted, member);
        const isOwner = field !== undefined && field === owner;
        if (isLeftOut && (isOwner || !Object.hasOwn(seen, member) || !sets(member))) continue;
        const isHidden = (seen[member] ?? null) === null && (record[member] ?? null) !== null;
        if (field?.origin === 'relation' && value === null && isHidden) continue;
        kept[member] = field === undefined ? links.joined(member, value, seen, record) : value;
      }
      return kept;
    },

    isMore: (wanted, seen) =>
      !links.isSame({ ...seen, ...wanted }, seen) ||
      Object.keys(wanted).some((member) => model.byMember.has(member) && !isSame(wanted[member], seen[member] ?? null)),
  };
}

export function withoutAbsent(values: Values): Values {
  const given: Values = {};
  for (const member of Object.keys(values)) if (values[member] !== undefined) given[member] = values[member];
  return given;
}

/** Objects with the patches of an update in them; what they make must keep the rules. */
function merged(
  patches: ReadonlyMap<Field, unknown>,
  record: Values,
  mergers: ReadonlyMap<Field, ReturnType<typeof valueReader>>,
): Read {
  const values: Values = {};
  const failures: Failure[] = [];
  for (const [field, patch] of patches) {
    const read = mergers.get(field)!(mergePatch(record[field.member], patch));
    values[field.member] = read.value;
    failures.push(...read.failures);
  }
  return { values, failures };
}
