import { spawnSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join } from 'node:path';

const compiler = createRequire(import.meta.url).resolve('typescript/bin/tsc');
const STRICT = {
  target: 'es2022',
  module: 'nodenext',
  moduleResolution: 'nodenext',
  strict: true,
  noUncheckedIndexedAccess: true,
  exactOptionalPropertyTypes: true,
  noImplicitReturns: true,
  noPropertyAccessFromIndexSignature: true,
  isolatedModules: true,
  rewriteRelativeImportExtensions: true,
  skipLibCheck: false,
  lib: ['es2022', 'dom', 'dom.iterable'],
  outDir: 'out',
};

/** Compiles the TypeScript files of a folder; what the compiler says. */
export function compiled(folder: string, options: object = {}): string {
  writeFileSync(join(folder, 'package.json'), '{ "type": "module" }');
  const whole = { compilerOptions: { ...STRICT, types: [], ...options }, include: ['*.ts'] };
  writeFileSync(join(folder, 'tsconfig.json'), JSON.stringify(whole));
  return spawnSync(process.execPath, [compiler, '-p', folder]).stdout.toString();
}
