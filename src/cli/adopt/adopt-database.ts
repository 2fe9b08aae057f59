import { existsSync, mkdirSync, readdirSync, writeFileSync } from 'node:fs';
import { join, relative, resolve } from 'node:path';
import { adopt } from '../../core/adopt/models.ts';
import type { Adopted } from '../../core/adopt/models.ts';
import { candidatesOf, foreignTables } from '../../core/adopt/usable.ts';
import { compile } from '../../core/compile.ts';
import type { ProjectSources } from '../../core/compile.ts';
import type { Source } from '../../core/declaration/declared.ts';
import type { Model } from '../../core/model/model.ts';
import { isError } from '../../core/declaration/problem.ts';
import { kindOfAddress } from '../../core/model/service.ts';
import type { Store } from '../../core/store/contract.ts';
import type { Catalogue } from '../../core/tables/catalogue.ts';
import { withoutPassword } from '../../core/text/without-password.ts';
import { onStanding } from '../../project/database.ts';
import { ENV_FILE } from '../../project/env-file.ts';
import { EXIT, Failure } from '../../project/failure.ts';
import { isFile } from '../../project/project.ts';
import { readSources, SERVICE_FILE } from '../../project/read.ts';
import { shownPath } from '../../project/shown-path.ts';
import type { Context } from '../command.ts';
import { folderTitle } from '../folder-title.ts';
import { soundProject } from '../load-project.ts';
import { problemsText } from '../terminal/problems.ts';
import { adoptedText } from './model-text.ts';
import { serviceText } from './service-text.ts';
import { showAdopted } from './show-adopted.ts';
import { wantedTables } from './wanted-tables.ts';

export interface AdoptAsked {
  readonly address: string;
  readonly folder: string | undefined;
  readonly only: string | undefined;
  readonly except: string | undefined;
  readonly schema: string | undefined;
  /** The folder of a project that is there. */
  readonly into: string | undefined;
}

/** Writes a project for a database as it stands, or models of what a project doesn't know of it. */
export async function adoptDatabase(context: Context, asked: AdoptAsked): Promise<number> {
  const folder = resolve(asked.into ?? asked.folder ?? context.folder);
  const known = await knownIn(context, asked, folder);
  const address = addressOf(asked);
  const { catalogue, apart } = await lookAt(address);
  const isWanted = wantedTables(
    foreignTables(catalogue).map(({ name }) => name),
    asked,
  );
  const taken = new Set(known.flatMap(({ table, links }) => [table, ...links.map((one) => one.table)]));
  const adopted = adopt(catalogue, {
    apart,
    isWanted: (table) => isWanted(table) && !taken.has(table),
    modelNames: known.map(({ name }) => name),
  });
  if (adopted.models.length === 0) return nothing(context, adopted, asked);
  const models = adopted.models.map((model): Source => ({
    file: `models/${model.model}.yaml`,
    text: adoptedText(model),
  }));
  const service =
    asked.into === undefined ? serviceText(folderTitle(folder) || 'Adopted', addressIn(folder, address)) : undefined;
  check(context, folder, { models, service }, catalogue, address);
  write(folder, models, service, address);
  showAdopted(context, adopted, folder, address);
  return EXIT.done;
}

/** The models of the project that is to get more; none where one is to be made. */
async function knownIn(
  context: Context,
  { into, folder: given }: AdoptAsked,
  folder: string,
): Promise<readonly Model[]> {
  if (into !== undefined) {
    if (given !== undefined) throw new Failure(EXIT.wrongCommand, 'a folder and --into name two', 'keep one of them');
    const { graph } = await soundProject({ ...context, folder });
    if (graph.service.isTheirs) return graph.models;
    const message = `the tables of ${shownPath(folder)} follow its models`;
    throw new Failure(EXIT.foundWrong, message, 'write the model yourself; or adopt into another folder');
  }
  if (!existsSync(folder) || readdirSync(folder).every((name) => name === '.git')) return [];
  const remedy = 'name an empty or a new folder; or with --into, a project that is to get more models';
  throw new Failure(EXIT.options, `${shownPath(folder)} is not empty`, remedy);
}

/** The address of the database, of a file with its whole path. */
function addressOf({ address, schema }: AdoptAsked): string {
  if (!/^(sqlite:.|(postgres|postgresql|mariadb|mysql):\/\/.)/.test(address)) {
    const remedy = 'write sqlite:./shop.db, postgres://user@host:5432/shop or mariadb://user@host:3306/shop';
    throw new Failure(EXIT.wrongCommand, `${withoutPassword(address)} is no address of a database`, remedy);
  }
  if (schema !== undefined && kindOfAddress(address) !== 'postgres')
    throw new Failure(EXIT.wrongCommand, '--schema goes with PostgreSQL', 'leave it out');
  if (isFile(address)) return `sqlite:${resolve(address.slice('sqlite:'.length))}`;
  if (schema === undefined) return address.replace(/^postgresql:/, 'postgres:');
  const url = new URL(address.replace(/^postgresql:/, 'postgres:'));
  // A name with capital letters or blanks needs its quotes, and a blank its mark.
  const named = `"${schema.replaceAll('"', '""')}"`.replace(/[\\ ]/g, '\\$&');
  url.searchParams.set('options', `-c search_path=${/^[a-z_][a-z0-9_]*$/.test(schema) ? schema : named}`);
  return url.href;
}

interface Looked {
  readonly catalogue: Catalogue;
  readonly apart: ReadonlyMap<string, string>;
}

const lookAt = (address: string): Promise<Looked> =>
  onStanding(address, async (store) => {
    const catalogue = await store.catalogue(true);
    return { catalogue, apart: await columnsApart(store, catalogue) };
  });

/** For each table without a key, a column whose values are all different. */
async function columnsApart({ dialect, first }: Store, catalogue: Catalogue): Promise<Map<string, string>> {
  const apart = new Map<string, string>();
  for (const table of foreignTables(catalogue)) {
    for (const column of candidatesOf(table)) {
      const [name, from] = [dialect.name(column), dialect.name(table.name)];
      const row = await first({ sql: `SELECT count(*), count(${name}), count(DISTINCT ${name}) FROM ${from}` }, []);
      const [all, some, different] = row!.map(Number);
      if (all === 0 || all !== some || all !== different) continue;
      apart.set(table.name, column);
      break;
    }
  }
  return apart;
}

function nothing({ terminal }: Context, { notes }: Adopted, { into, schema }: AdoptAsked): number {
  terminal.value({ models: [], notes });
  for (const { at, text } of notes) terminal.show(`${at}: left out: ${text}`);
  if (into === undefined) {
    const where = schema === undefined ? 'the database' : `the schema ${schema}`;
    throw new Failure(EXIT.foundWrong, `${where} has no table that a model could mirror`, 'name another');
  }
  terminal.show('nothing is new in the database: nothing was written');
  return EXIT.done;
}

/** The address as a project's file has it: none with a password stands in a file under version control. */
function addressIn(folder: string, address: string): string {
  if (isFile(address)) return `sqlite:${relative(folder, address.slice('sqlite:'.length))}`;
  return hasPassword(address) ? '${DATABASE_URL}' : address;
}

const hasPassword = (address: string): boolean =>
  withoutPassword(address) !== (URL.canParse(address) ? new URL(address).href : address);

/** Sees that what is to be written is sound, and fits the database. */
function check(
  { terminal }: Context,
  folder: string,
  { models, service }: { readonly models: readonly Source[]; readonly service: string | undefined },
  catalogue: Catalogue,
  address: string,
): void {
  const before: ProjectSources =
    service === undefined
      ? readSources(folder, false)
      : { service: { file: SERVICE_FILE, text: service }, models: [], environment: { DATABASE_URL: address } };
  const all = [...before.models, ...models];
  const { problems } = compile({ ...before, models: all, catalogue });
  if (!problems.some(isError)) return;
  terminal.warn(problemsText(problems.filter(isError), [before.service, ...all], terminal.tint));
  const message = 'the models would not be sound, and nothing was written';
  throw new Failure(EXIT.foundWrong, message, 'leave those tables out with --except');
}

function write(folder: string, models: readonly Source[], service: string | undefined, address: string): void {
  mkdirSync(join(folder, 'models'), { recursive: true });
  for (const { file, text } of models) writeFileSync(join(folder, file), text, { flag: 'wx' });
  if (service === undefined) return;
  writeFileSync(join(folder, SERVICE_FILE), service);
  if (isFile(address) || !hasPassword(address)) return;
  writeFileSync(join(folder, ENV_FILE), `DATABASE_URL='${address.replaceAll("'", '%27')}'\n`, { mode: 0o600 });
  writeFileSync(join(folder, '.gitignore'), `${ENV_FILE}\n`);
}
