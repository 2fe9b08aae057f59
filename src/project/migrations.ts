import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { AFTER_FILE, backFile, forwardFile } from '../core/migrations/draft.ts';
import type { Drafted } from '../core/migrations/draft.ts';
import type { Migration } from '../core/migrations/migration.ts';
import type { StoreKind } from '../core/model/service.ts';
import type { Table } from '../core/tables/table.ts';
import { EXIT, Failure } from './failure.ts';
import { textOf } from './text.ts';

const FOLDER = 'migrations';
const NAME = /^(\d{4,})-[a-z0-9][a-z0-9-]*$/;

/** The migrations of a project for one kind of store, in the order of their numbers. */
export function readMigrations(folder: string, kind: StoreKind): Migration[] {
  const inside = join(folder, FOLDER);
  if (!existsSync(inside)) return [];
  const names = readdirSync(inside)
    .filter((name) => !name.startsWith('.'))
    .sort();
  const migrations = names.map((name) => readMigration(folder, name, kind));
  migrations.forEach(({ number, name }, at) => {
    const before = migrations[at - 1];
    if (before?.number === number) {
      const message = `${before.name} and ${name} have the same number, as where two branches meet`;
      throw new Failure(
        EXIT.foundWrong,
        message,
        `delete the later one and draft it again: vantfell migrate draft gives it the next number`,
      );
    }
  });
  return migrations;
}

function readMigration(folder: string, name: string, kind: StoreKind): Migration {
  const number = NAME.exec(name)?.[1];
  if (number === undefined) {
    const message = `${FOLDER}/${name} is no migration: those are folders like 0003-add-altitude`;
    throw new Failure(EXIT.foundWrong, message, 'move it elsewhere');
  }
  const text = (file: string): string => {
    const path = join(folder, FOLDER, name, file);
    if (existsSync(path)) return textOf(`${FOLDER}/${name}/${file}`, readFileSync(path));
    const remedy =
      file === AFTER_FILE
        ? 'bring it back, as from version control'
        : `bring it back; or name ${kind} in stores: of vantfell.yaml, delete the migrations and draft them anew`;
    throw new Failure(EXIT.foundWrong, `${FOLDER}/${name} has no ${file}`, remedy);
  };
  const said = snapshot(text(AFTER_FILE), `${FOLDER}/${name}/${AFTER_FILE}`);
  const { tables, renames = {}, filled = [], servicesGoOn, isSecondStep } = said;
  return {
    number: Number(number),
    name,
    forward: text(forwardFile(kind)),
    back: text(backFile(kind)),
    after: tables,
    renames: new Map(Object.entries(renames)),
    filled,
    servicesGoOn: servicesGoOn === true,
    isSecondStep: isSecondStep === true,
  };
}

/** What is said of migrations that wait for services of older versions to stop. */
export const secondStepText = (names: readonly string[]): string =>
  `${names.join(', ')} waits until no service of an older version runs: then vantfell migrate run --all`;

interface Snapshot {
  readonly tables: Table[];
  readonly renames?: Record<string, string>;
  readonly filled?: string[];
  readonly servicesGoOn?: boolean;
  readonly isSecondStep?: boolean;
}

function snapshot(text: string, file: string): Snapshot {
  try {
    const read = JSON.parse(text) as { tables?: unknown };
    if (Array.isArray(read.tables)) return read as Snapshot;
  } catch {
    // Told below.
  }
  throw new Failure(
    EXIT.foundWrong,
    `${file} is no snapshot of tables`,
    'bring it back as it was, as from version control',
  );
}

/** Writes a migration, whole or not at all; gives the paths of its files. */
export function writeMigration(folder: string, { name, files }: Drafted): string[] {
  const inside = join(folder, FOLDER, name);
  try {
    mkdirSync(inside, { recursive: true });
    for (const [file, text] of Object.entries(files)) writeFileSync(join(inside, file), text);
  } catch (error) {
    rmSync(inside, { recursive: true, force: true });
    throw new Failure(
      EXIT.options,
      `${FOLDER}/${name} can not be written: ${(error as Error).message}`,
      'see to the folder',
    );
  }
  return Object.keys(files).map((file) => `${FOLDER}/${name}/${file}`);
}
