import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { expect, test } from '@jest/globals';
import { kinds, serverDatabases } from '../kit/databases.ts';
import { folderWith, vantfell } from '../kit/program.ts';

const GOLDEN = fileURLToPath(new URL('../fixtures/growing', import.meta.url));

const database = serverDatabases();

const MEMBER = `model: member
fields:
  name: { type: string, required: true, maxLength: 60 }
  phone: { type: string, maxLength: 20 }
  born: { type: integer }
`;
const SAMPLES = `ines: { name: Ines, phone: "555 01", born: 1990 }
tor: { name: Tor, born: 1875 }
liv: { name: Liv, phone: "555 03", born: 2001 }
`;
const PROFILE = `model: profile
within: member
fields:
  phone: { type: string, maxLength: 20 }
unique: [[member]]
`;

/** A developer at work in one project: what is changed, what is typed, and what the program says to it. */
class Story {
  readonly folder: string;
  #told = '';

  constructor(store: string) {
    this.folder = folderWith({
      'vantfell.yaml': `service: { name: Growing }\nstore: ${store}\nstores: [sqlite, postgres, mariadb]\n`,
      'models/member.yaml': MEMBER,
      'samples/members.yaml': SAMPLES,
    });
  }

  chapter(title: string): void {
    this.#told += `\n## ${title}\n`;
  }

  write(file: string, text: string): void {
    writeFileSync(join(this.folder, file), text);
  }

  edit(file: string, from: string, to: string): void {
    const path = join(this.folder, file);
    const text = readFileSync(path, 'utf8');
    expect(text).toContain(from);
    writeFileSync(path, text.replace(from, to));
  }

  async type(line: string, code = 0): Promise<string> {
    const ran = await vantfell([...line.split(' '), '-C', this.folder], { cwd: this.folder });
    const said = [ran.out, ran.err].filter((text) => text !== '').join('');
    this.#told += `\n$ vantfell ${line}\n${said}${ran.code === 0 ? '' : `(exit ${ran.code})\n`}`;
    expect({ line, code: ran.code, said: ran.code === code ? '' : said }).toEqual({ line, code, said: '' });
    return ran.out;
  }

  show(file: string): void {
    this.#told += `\n$ cat ${file}\n${readFileSync(join(this.folder, file), 'utf8')}`;
  }

  /** What was said, without what is another each time. */
  told(): string {
    return this.#told
      .trimStart()
      .replaceAll(/\d{4}-\d\d-\d\d \d\d:\d\d UTC/g, '2026-06-12 10:00 UTC')
      .replaceAll(/postgres:\/\/[^\s]+/g, 'postgres://tests@127.0.0.1:5432/growing')
      .replaceAll(/mariadb:\/\/[^\s]+/g, 'mariadb://tests@127.0.0.1:3306/growing')
      .replaceAll(/sqlite:\S*growing\.db/g, 'sqlite:growing.db');
  }
}

test.each(kinds)('a project grows on %s', async (kind) => {
  const story = new Story((await database(kind, 'growing')) ?? 'sqlite:./growing.db');
  const { folder } = story;

  story.chapter('A first model, and data');
  await story.type('seed');
  await story.type('migrate status');

  story.chapter('The first draft');
  await story.type('migrate draft');
  story.show(`migrations/0001-first-tables/${kind}.forward.sql`);
  await story.type('migrate status');

  story.chapter('A new field');
  story.edit('models/member.yaml', '  born:', '  valley: { type: string, required: true }\n  born:');
  await story.type('serve --port 0', 1);
  await story.type('migrate draft', 1);
  await story.type('migrate draft --fill member.valley=Askdal');
  await story.type('serve --port 0', 1);
  await story.type('migrate run');

  story.chapter('A rename');
  story.edit('models/member.yaml', '  born:', '  birth_year:');
  await story.type('migrate draft', 2);
  await story.type('migrate draft --rename member.born=member.birth_year');

  story.chapter('A new table for a profile');
  story.edit('models/member.yaml', '  phone: { type: string, maxLength: 20 }\n', '');
  story.write('models/profile.yaml', PROFILE);
  await story.type('migrate draft', 2);
  await story.type('migrate draft --rename member.phone=profile.phone --name profiles');
  story.show(`migrations/0004-profiles/${kind}.forward.sql`);
  story.show(`migrations/0004-profiles/${kind}.back.sql`);
  await story.type('migrate run');

  story.chapter('A tightened rule');
  story.edit('models/member.yaml', '  birth_year: { type: integer }', '  birth_year: { type: integer, minimum: 1900 }');
  await story.type('migrate draft --name born-this-century');
  await story.type('migrate run', 1);
  rmSync(join(folder, 'migrations/0005-born-this-century'), { recursive: true });
  await story.type('migrate draft --fill member.birth_year=1900 --name born-this-century');
  story.show(`migrations/0005-born-this-century/${kind}.forward.sql`);
  await story.type('migrate run');
  await story.type('migrate status');

  story.chapter('Undo, and redo');
  await story.type('migrate undo');
  await story.type('migrate undo');
  await story.type('migrate undo', 2);
  await story.type('migrate undo --yes');
  await story.type('migrate status');
  await story.type('migrate run');
  await story.type('migrate run');
  await story.type('migrate draft');
  await story.type('migrate status');

  const golden = join(GOLDEN, `${kind}.txt`);
  if (process.env.UPDATE_GROWING === '1') writeFileSync(golden, story.told());
  expect(story.told()).toBe(readFileSync(golden, 'utf8'));
});
