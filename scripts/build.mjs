// Compiles src/ to dist/ from nothing, so that no file of an older build is left behind.
import { spawnSync } from 'node:child_process';
import { chmodSync, rmSync } from 'node:fs';
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
