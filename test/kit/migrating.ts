import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect } from '@jest/globals';
import { kindOfAddress } from '../../src/core/model/service.ts';
import type { Store } from '../../src/core/store/contract.ts';
import { openStore } from '../../src/store/open.ts';
import { folderWith, vantfell } from './program.ts';
import type { Ran } from './program.ts';

/** A project whose models change, on one kind of database; commands are those of the built program. */
export class Growing {
  readonly folder: string;
  readonly address: string;

  /** `models` by their names; `files` beside them. */
  constructor(address: string, models: Readonly<Record<string, string>>, files: Readonly<Record<string, string>> = {}) {
    this.folder = folderWith({
      'vantfell.yaml': `service: { name: Growing }\nstore: ${address}\nstores: [sqlite, postgres, mariadb]\n`,
      ...Object.fromEntries(
        Object.entries(models).map(([name, text]) => [`models/${name}.yaml`, `model: ${name}\n${text}`]),
      ),
      ...files,
    });
    this.address = address.startsWith('sqlite:./')
      ? `sqlite:${join(this.folder, address.slice('sqlite:./'.length))}`
      : address;
  }

  get kind(): string {
    return kindOfAddress(this.address);
  }

  model(name: string, text: string): void {
    writeFileSync(join(this.folder, `models/${name}.yaml`), `model: ${name}\n${text}`);
  }

  run(line: string): Promise<Ran> {
    return vantfell([...line.split(' '), '-C', this.folder], { cwd: this.folder });
  }

  /** What a command says that goes well. */
  async done(line: string): Promise<string> {
    const ran = await this.run(line);
    expect({ line, code: ran.code, said: ran.code === 0 ? '' : ran.out + ran.err }).toEqual({
      line,
      code: 0,
      said: '',
    });
    return ran.out + ran.err;
  }

  /** What a command says that ends with another code. */
  async fails(line: string, code = 1): Promise<string> {
    const ran = await this.run(line);
    expect({ line, code: ran.code, said: ran.code === code ? '' : ran.out + ran.err }).toEqual({
      line,
      code,
      said: '',
    });
    expect(ran.err).not.toContain('defect');
    return ran.out + ran.err;
  }

  async withStore<Result>(work: (store: Store) => Promise<Result>): Promise<Result> {
    const store = await openStore(this.address);
    try {
      return await work(store);
    } finally {
      await store.close();
    }
  }

  sql(text: string): Promise<void> {
    return this.withStore((store) => store.alter((alteration) => alteration.script(text)));
  }

  rows(text: string): Promise<readonly unknown[][]> {
    return this.withStore(async (store) => (await store.all({ sql: text }, [])).map((row) => [...row]));
  }

  file(name: string, write?: (text: string) => string): string {
    const path = join(this.folder, name);
    const text = readFileSync(path, 'utf8');
    if (write !== undefined) writeFileSync(path, write(text));
    return text;
  }
}
