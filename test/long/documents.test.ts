import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { tryBodies } from '../kit/bodies.ts';
import { compiled } from '../kit/compiled.ts';
import { folderWith, vantfell } from '../kit/program.ts';
import { projects } from '../kit/projects.ts';

const PROJECTS = Number(process.env.DOCUMENT_PROJECTS ?? 60);

test(
  'what the documents of projects of all kinds allow, their ' + 'services take; what they do not, they refuse',
  async () => {
    let [taken, refused] = [0, 0];
    for (const [at, { files }] of fc.sample(projects, { numRuns: PROJECTS, seed: 13 }).entries()) {
      const counts = await tryBodies(folderWith(files), at);
      taken += counts.taken;
      refused += counts.refused;
    }
    expect(taken).toBeGreaterThan(PROJECTS * 20);
    expect(refused).toBeGreaterThan(PROJECTS * 5);
  },
);

test('of any project, the client and the types compile strictly', async () => {
  const away = folderWith();
  for (const [at, { files }] of fc.sample(projects, { numRuns: 6, seed: 3 }).entries()) {
    const folder = folderWith({
      ...files,
      'code/crate.shake.ts':
        "import { operation } from 'vantfell';\nexport default operation('crate.shake', () => null);\n",
    });
    if (!files['models/crate.yaml']!.includes('shake')) writeFileSync(join(folder, 'code/crate.shake.ts'), '');
    for (const what of ['client', 'types']) {
      const ran = await vantfell(['export', what, '-C', folder, '--out', join(away, `${what}-${at}.ts`)]);
      expect(ran).toMatchObject({ code: 0 });
    }
  }
  expect(compiled(away, { noEmit: true, rewriteRelativeImportExtensions: false })).toBe('');
});
