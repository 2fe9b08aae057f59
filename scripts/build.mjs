// Compiles src/ to build/, module by module, for benchmarks and for what is made from them; and bundles that into
// dist/, the package: a few files with all of their libraries, which load in a fraction of the time. Both are made
// from nothing.
import { spawnSync } from 'node:child_process';
import { chmodSync, cpSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { builtinModules, createRequire } from 'node:module';
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

// Libraries that most commands do without (src/core/text/libraries.ts) are files of their own.
const libraries = { scslre: 'parts/pattern-analysis.cjs', yaml: 'parts/yaml.cjs' };
const always = { absWorkingDir: root, bundle: true, legalComments: 'none', metafile: true, logLevel: 'warning' };
// Names stay as they are, so that a stack trace can be read.
const forNode = { ...always, platform: 'node', target: 'node20.19', minifySyntax: true, minifyWhitespace: true };
const apart = await build({
  ...forNode,
  entryPoints: Object.entries(libraries).map(([name, file]) => ({ in: name, out: file.replace('.cjs', '') })),
  outdir: 'dist',
  outExtension: { '.js': '.cjs' },
  format: 'cjs',
});

/** Replaces parts of a file while it is bundled; every one of them must be there. */
const replacing = (filter, ...pairs) => ({
  name: `replacing in ${filter}`,
  setup({ onLoad }) {
    onLoad({ filter }, ({ path }) => {
      let contents = readFileSync(path, 'utf8');
      for (const [from, to] of pairs) {
        if (!contents.includes(from)) throw new Error(`${path} has no ${from}`);
        contents = contents.replace(from, to);
      }
      return { contents };
    });
  },
});
const SEGMENTER = ['new Intl.Segmenter()', '{ segment: text => new Intl.Segmenter().segment(text) }'];
const plugins = [
  replacing(
    /core\/text\/libraries\.js$/,
    ...Object.entries(libraries).map(([name, file]) => [`load('${name}')`, `load('../${file}')`]),
  ),
  // What the argument parser needs for help alone, and makes whenever it is loaded: in 15 ms, and in 20.
  replacing(/(cliui|wrap-ansi)\/node_modules\/string-width\/index\.js$/, SEGMENTER),
  replacing(/yargs\/node_modules\/string-width\/index\.js$/, SEGMENTER, [
    '/^\\p{RGI_Emoji}$/v;',
    '{ test: text => /^\\p{RGI_Emoji}$/v.test(text) };',
  ]),
];

// A path that one file has of another (a reader's, the demo's) is the same from every folder of the same depth.
const entries = {
  'cli/main': 'build/cli/main.js',
  'api/index': 'build/index.js',
  'parts/reader-process': 'build/store/sqlite/reader-process.js',
};
// What is installed beside it has binaries, or files that it looks for itself.
const outside = [...Object.keys(dependencies), 'pg-native'];
const BUNDLED = 'build/bundled';
const bundled = await build({
  ...forNode,
  entryPoints: entries,
  outdir: BUNDLED,
  chunkNames: 'parts/[name]-[hash]',
  splitting: true,
  format: 'esm',
  external: outside,
  // Some libraries are written for require().
  banner: {
    js: "import { createRequire as makeRequire } from 'node:module'; const require = makeRequire(import.meta.url);",
  },
  plugins,
});
await mergeParts(bundled.metafile.outputs);
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
  ...always,
  entryPoints: ['src/console/page.tsx', 'src/console/page.css'],
  outdir: 'dist/console',
  format: 'esm',
  platform: 'browser',
  target: 'es2022',
  jsx: 'automatic',
  jsxImportSource: 'preact',
  minify: true,
});
for (const file of ['page.html', 'icon.svg']) cpSync(at('src/console', file), at('dist/console', file));

writeFileSync(
  at('dist/LICENSES.txt'),
  licenses([apart, bundled, page].flatMap(({ metafile }) => Object.keys(metafile.inputs))),
);

/**
 * The bundle comes in some two hundred parts, as finely as commands share them, and each takes half a millisecond to
 * find and to load. What the most used commands load becomes one part for each step that they have in common.
 */
async function mergeParts(outputs) {
  const steps = {
    start: ['build/cli/main.js'],
    project: ['build/cli/run.js', 'build/cli/load-project.js', 'build/cli/check.js'],
    serve: ['build/cli/serve/one.js', 'build/cli/serve/opener.js'],
  };
  const holding = (input) => Object.keys(outputs).find((output) => Object.hasOwn(outputs[output].inputs, input));
  const isEntry = new Set(Object.keys(entries).map((name) => join(BUNDLED, `${name}.js`)));
  const partOf = new Map();
  const claim = (output, part) => {
    if (!Object.hasOwn(outputs, output ?? '') || partOf.has(output)) return;
    // A program waits for all that it does: nothing that it loads may wait for it.
    partOf.set(output, isEntry.has(output) ? undefined : part);
    for (const { path, kind } of outputs[output].imports) if (kind === 'import-statement') claim(path, part);
  };
  for (const [part, inputs] of Object.entries(steps)) for (const input of inputs) claim(holding(input), part);
  const whole = await rollup({
    input: Object.fromEntries(Object.keys(entries).map((name) => [name, at(BUNDLED, `${name}.js`)])),
    external: [/^node:/, ...builtinModules, ...outside],
    treeshake: false,
  });
  await whole.write({
    dir: at('dist'),
    entryFileNames: '[name].js',
    chunkFileNames: 'parts/[name]-[hash].js',
    compact: true,
    hoistTransitiveImports: false,
    manualChunks: (id) => partOf.get(relative(root, id)),
  });
}

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
