import { spawnSync } from 'node:child_process';
import { copyFileSync, mkdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { beforeAll, describe, expect, test } from '@jest/globals';
import { demoFolder, folderWith, vantfell } from '../kit/program.ts';

const ROOT = fileURLToPath(new URL('../..', import.meta.url));
const require = createRequire(import.meta.url);
const away = folderWith({ 'package.json': '{ "type": "module" }' });

beforeAll(async () => {
  symlinkSync(join(ROOT, 'node_modules'), join(away, 'node_modules'));
  const { code } = await vantfell(['export', 'openapi', '-C', demoFolder(), '--out', join(away, 'openapi.json')]);
  expect(code).toBe(0);
});

function run(program: string, words: readonly string[]): string {
  const ran = spawnSync(process.execPath, [program, ...words], { cwd: away, encoding: 'utf8' });
  return ran.status === 0 ? '' : ran.stdout + ran.stderr;
}

const generate = (name: string, words: readonly string[]): string => run(join(ROOT, 'node_modules/.bin', name), words);

const STRICT = { strict: true, noUncheckedIndexedAccess: true, exactOptionalPropertyTypes: true };

/** Compiles one file, and what it imports; what the compiler says. */
function compile(file: string, options: object = {}, compiler = 'typescript'): string {
  const compilerOptions = {
    target: 'es2022',
    module: 'esnext',
    moduleResolution: 'bundler',
    noEmit: true,
    allowImportingTsExtensions: true,
    skipLibCheck: true,
    lib: ['es2022', 'dom', 'dom.iterable'],
    types: ['node'],
    strict: true,
    ...options,
  };
  writeFileSync(join(away, 'tsconfig.json'), JSON.stringify({ compilerOptions, files: [file] }));
  return run(require.resolve(`${compiler}/bin/tsc`), ['-p', '.']);
}

describe('generators that only read the document', () => {
  test('openapi-typescript, and the calls of openapi-fetch over it', () => {
    expect(generate('openapi-typescript', ['openapi.json', '-o', 'types.ts'])).toBe('');
    copyFileSync(join(ROOT, 'test/fixtures/generated/calls.ts'), join(away, 'calls.ts'));
    expect(compile('calls.ts', STRICT)).toBe('');
  });

  test('swagger-typescript-api', () => {
    const words = ['generate', '-p', 'openapi.json', '-o', '.', '-n', 'whole.ts', '--silent'];
    expect(generate('swagger-typescript-api', words)).toBe('');
    expect(readFileSync(join(away, 'whole.ts'), 'utf8')).toContain('bookHut');
    expect(compile('whole.ts')).toBe('');
  });

  test('oazapfts', () => {
    expect(generate('oazapfts', ['openapi.json', 'short.ts'])).toBe('');
    expect(readFileSync(join(away, 'short.ts'), 'utf8')).toMatch(/export function readHut\(/);
    expect(compile('short.ts')).toBe('');
  });

  test('openapi-ts', () => {
    mkdirSync(join(away, 'many'));
    expect(generate('openapi-ts', ['-i', 'openapi.json', '-o', 'many'])).toBe('');
    expect(compile('many/index.ts')).toBe('');
  });
});

test('the guide alone leaves a project whose code has types, with nothing installed', async () => {
  const folder = join(folderWith(), 'walks');
  expect((await vantfell(['new', folder])).code).toBe(0);
  const words = ['export', 'types', '--code', '-C', folder, '--out', join(folder, 'code/types.d.ts')];
  mkdirSync(join(folder, 'code'));
  expect((await vantfell(words)).code).toBe(0);
  const hooks = (body: string): string =>
    `import { hooks } from 'vantfell';\nexport default hooks('walk', {\n  async beforeCreate(draft, scope) {\n    ${body}\n  },\n});\n`;
  const checked = (body: string): string => {
    writeFileSync(join(folder, 'code/walk.hooks.ts'), hooks(body));
    return run(require.resolve('typescript/bin/tsc'), ['-p', folder]);
  };
  expect(checked("draft.about = (await scope.model('note').first({ stars: 5 }))?.text ?? null;")).toBe('');
  expect(checked('draft.abuot = null;')).toContain("Property 'abuot' does not exist");
  expect(checked("await scope.model('nite').find();")).toContain('nite');
  expect((await vantfell(['check', '-C', folder])).code).toBe(0);
});

describe('the exported client, as source', () => {
  const EVERY_OPTION = {
    ...STRICT,
    skipLibCheck: false,
    types: [],
    noImplicitReturns: true,
    noImplicitOverride: true,
    noPropertyAccessFromIndexSignature: true,
    noFallthroughCasesInSwitch: true,
    noUnusedLocals: true,
    noUnusedParameters: true,
    allowUnreachableCode: false,
    allowUnusedLabels: false,
    isolatedModules: true,
    verbatimModuleSyntax: true,
  };

  test.each(['typescript', 'oldest-typescript'])('compiles with every strict option of %s', async (compiler) => {
    const { code } = await vantfell(['export', 'client', '-C', demoFolder(), '--out', join(away, 'client.ts')]);
    expect(code).toBe(0);
    const newer = compiler === 'typescript' ? { erasableSyntaxOnly: true } : {};
    expect(compile('client.ts', { ...EVERY_OPTION, ...newer }, compiler)).toBe('');
  });
});
