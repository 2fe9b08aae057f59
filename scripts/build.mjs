// Compiles src/ to dist/ from nothing, so that no file of an older build is left behind.
import { spawnSync } from 'node:child_process';
import { chmodSync, copyFileSync, mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { fileURLToPath } from 'node:url';

const root = new URL('../', import.meta.url);
const compiler = createRequire(import.meta.url).resolve('typescript/bin/tsc');

rmSync(new URL('dist', root), { recursive: true, force: true });
const run = spawnSync(process.execPath, [compiler, '-p', 'tsconfig.build.json'], {
  cwd: fileURLToPath(root),
  stdio: 'inherit',
});
if (run.status !== 0) process.exit(run.status ?? 1);
chmodSync(new URL('dist/cli/main.js', root), 0o755);

// The JSON Schemas of the files that people write, for their editors.
const { editorSchemas } = await import('../dist/core/document/editor-schemas.js');
mkdirSync(new URL('dist/schemas', root));
for (const [name, schema] of Object.entries(editorSchemas())) {
  writeFileSync(new URL(`dist/schemas/${name}`, root), `${JSON.stringify(schema, null, 2)}\n`);
}

// The parts of exported clients that are the same for every project: they go into them as text.
mkdirSync(new URL('dist/client', root));
for (const name of ['runtime.ts', 'typing.ts']) {
  copyFileSync(new URL(`src/client/${name}`, root), new URL(`dist/client/${name}`, root));
}
