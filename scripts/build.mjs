// Compiles src/ to build/, module by module, for benchmarks and for what is made from them; and bundles that into
// dist/, the package: a few files with all of their libraries, which load in a fraction of the time. Both are made
// from nothing.
import { spawnSync } from 'node:child_process';
import { chmodSync, cpSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';
import { rollup } from 'rollup';
import { dts } from 'rollup-plugin-dts';

const root = fileURLToPath(new URL('..', import.meta.url));
const at = (...path) => join(root, ...path);
const { dependencies } = JSON.parse(readFileSync(at('package.json'), 'utf8'));

for (const folder of ['build', 'dist']) rmSync(at(folder), { recursive: true, force: true });
const compiler = createRequire(import.meta.url).resolve('typescript/bin/tsc');
const compiled = spawnSync(process.execPath, [compiler, '-p', 'tsconfig.build.json'], { cwd: root, stdio: 'inherit' });
if (compiled.status !== 0) process.exit(compiled.status ?? 1);

// Of the library's list of secrets only those go along that are looked at.
const list = at('build/core/identity/common-list.js');
const { commonSecrets } = await import(list);
const text = JSON.stringify([...commonSecrets].join('\n'));
writeFileSync(list, `export const commonSecrets = new Set(${text}.split('\\n'));\n`);

const bundled = await build({
  absWorkingDir: root,
  // A path that one file has of another (a reader's, the demo's) is the same from every folder of the same depth.
  entryPoints: {
    'cli/main': 'build/cli/main.js',
    'api/index': 'build/index.js',
    'parts/reader-process': 'build/store/sqlite/reader-process.js',
  },
  outdir: 'dist',
  chunkNames: 'parts/[name]-[hash]',
  bundle: true,
  splitting: true,
  format: 'esm',
  platform: 'node',
  target: 'node20.19',
  // Names stay as they are, so that a stack trace can be read.
  minifySyntax: true,
  minifyWhitespace: true,
  legalComments: 'none',
  // What is installed beside it has binaries, or files that it looks for itself.
  external: [...Object.keys(dependencies), 'pg-native'],
  // Some libraries are written for require().
  banner: {
    js: "import { createRequire as makeRequire } from 'node:module'; const require = makeRequire(import.meta.url);",
  },
  metafile: true,
  logLevel: 'warning',
});
chmodSync(at('dist/cli/main.js'), 0o755);

// The types that a program sees, in one file.
const types = await rollup({ input: at('build/index.d.ts'), plugins: [dts()], external: /^node:/ });
await types.write({ file: at('dist/api/index.d.ts') });

// The JSON Schemas of the files that people write, for their editors.
const { editorSchemas } = await import('../build/core/document/editor-schemas.js');
mkdirSync(at('dist/schemas'));
for (const [name, schema] of Object.entries(editorSchemas())) {
  writeFileSync(at('dist/schemas', name), `${JSON.stringify(schema)}\n`);
}

// The parts of exported clients that are the same for every project: they go into them as text.
for (const folder of ['build/client', 'dist/client']) {
  mkdirSync(at(folder));
  cpSync(at('src/client'), folder, { recursive: true });
}

// The page of the console, for browsers.
const page = await build({
  absWorkingDir: root,
  entryPoints: ['src/console/page.tsx', 'src/console/page.css'],
  outdir: 'dist/console',
  bundle: true,
  format: 'esm',
  platform: 'browser',
  target: 'es2022',
  jsx: 'automatic',
  jsxImportSource: 'preact',
  minify: true,
  legalComments: 'none',
  metafile: true,
  logLevel: 'warning',
});
for (const file of ['page.html', 'icon.svg']) cpSync(at('src/console', file), at('dist/console', file));

writeFileSync(at('dist/LICENSES.txt'), licenses(Object.keys({ ...bundled.metafile.inputs, ...page.metafile.inputs })));

/** The licences of the libraries that are in the bundle. */
function licenses(inputs) {
  const packages = new Map();
  for (const input of inputs) {
    if (!input.includes('node_modules/')) continue;
    let folder = dirname(at(input));
    while (
      !existsSync(join(folder, 'package.json')) ||
      JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8')).name === undefined
    )
      folder = dirname(folder);
    packages.set(relative(root, folder), folder);
  }
  const texts = [...packages.values()].sort().map((folder) => {
    const { name, version, license } = JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8'));
    const file = readdirSync(folder).find((one) => /^licen[cs]e/i.test(one));
    const text = file === undefined ? `${license}\n` : readFileSync(join(folder, file), 'utf8');
    return `${name} ${version}\n\n${text.trim()}\n`;
  });
  return (
    'Vantfell has parts of these packages in it, under their own ' +
    `licences.\n\n${texts.join(`\n${'-'.repeat(80)}\n\n`)}`
  );
}
