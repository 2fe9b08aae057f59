import { createHash } from 'node:crypto';
import type { Renames } from '../tables/match.ts';
import type { Table } from '../tables/table.ts';

/** A migration of the project, as its folder holds it for one kind of store. */
export interface Migration {
  readonly number: number;
  /** `0003-add-altitude`: also its folder's name. */
  readonly name: string;
  readonly forward: string;
  readonly back: string;
  /** The snapshot of the models' tables after it. */
  readonly after: readonly Table[];
  /** The renames that it was written with. */
  readonly renames: Renames;
  /** The fields of which values that could not stay got a fill: `member.born`. */
  readonly filled: readonly string[];
  /** Services of the version before can go on with the tables after it. */
  readonly servicesGoOn: boolean;
  /** The version of the project that it comes with can do without it: it waits for older services to stop. */
  readonly isSecondStep: boolean;
}

/** A migration that a database has run. */
export interface Ran {
  readonly number: number;
  readonly name: string;
  /** What ran together has the same number. */
  readonly batch: number;
  /** An RFC 3339 date-time. */
  readonly ranAt: string;
  readonly checksum: string;
  readonly servicesGoOn: boolean;
}

/** Those that wait until no service of an older version is left: with others behind them, nobody waits any more. */
export const secondSteps = (migrations: readonly Migration[]): readonly Migration[] =>
  migrations.slice(migrations.findLastIndex(({ isSecondStep }) => !isSecondStep) + 1);

/** Of what its statements say: version control may give lines other ends on another machine. */
export const checksumOf = ({ forward }: Pick<Migration, 'forward'>): string =>
  createHash('sha256').update(forward.replaceAll('\r\n', '\n')).digest('hex').slice(0, 12);

/** The tables after the last of some migrations. */
export const lastSnapshot = (migrations: readonly Migration[]): readonly Table[] => migrations.at(-1)?.after ?? [];

export interface MigrationStatus {
  /** Whether it ran, waits, was edited after it ran, or ran and is missing from the project. */
  readonly state: 'ran' | 'waiting' | 'changed' | 'missing';
  readonly name: string;
  readonly checksum: string;
  readonly ran?: Ran;
}

/** The migrations of the project beside those that the database has run, in the order of their numbers. */
export function statusesOf(migrations: readonly Migration[], history: readonly Ran[]): MigrationStatus[] {
  const names = new Set(migrations.map(({ name }) => name));
  const known = migrations.map((migration): MigrationStatus => {
    const checksum = checksumOf(migration);
    const ran = history.find(({ name }) => name === migration.name);
    const state = ran === undefined ? 'waiting' : ran.checksum === checksum ? 'ran' : 'changed';
    return { state, name: migration.name, checksum, ran };
  });
  const missing = history
    .filter(({ name }) => !names.has(name))
    .map((ran): MigrationStatus => ({ state: 'missing', name: ran.name, checksum: ran.checksum, ran }));
  return [...known, ...missing].sort((one, other) => (one.name < other.name ? -1 : 1));
}
