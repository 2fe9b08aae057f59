import js from '@eslint/js';
import stylistic from '@stylistic/eslint-plugin';
import tseslint from 'typescript-eslint';
import { ownMembers } from './scripts/lint/own-members.mjs';

export default tseslint.config(
  {
    ignores: [
      'dist/',
      'build/',
      'node_modules/',
      'fell-huts/',
      // The tool's own, in projects that tests read where they are.
      '**/.vantfell/',
      'bench/.data/',
      'demo/code/types.d.ts',
      'test/fixtures/client/',
      'test/fixtures/page/',
      'test/fixtures/generated/',
      'test/fixtures/sound/',
    ],
  },
  js.configs.recommended,
  {
    // The formatter wins, and what it can't break is broken by hand. Texts in other languages, such as YAML and shell,
    // keep their lines in tests and scripts.
    plugins: { '@stylistic': stylistic },
    rules: {
      '@stylistic/max-len': ['error', { code: 120 }],
      'no-warning-comments': ['error', { terms: ['prettier-ignore'], location: 'anywhere' }],
    },
  },
  {
    files: ['test/**', 'scripts/**', 'bench/**'],
    rules: { '@stylistic/max-len': ['error', { code: 120, ignoreTemplateLiterals: true }] },
  },
  {
    // Tables of values, which only a table shows well.
    files: ['test/kit/tables/nasty.ts'],
    rules: { '@stylistic/max-len': 'off', 'no-warning-comments': 'off' },
  },
  {
    files: ['src/**/*.{ts,tsx}', 'scripts/**/*.mjs', 'bench/**/*.mjs'],
    ignores: ['**/*.test.ts'],
    rules: { 'max-lines-per-function': ['error', { max: 80 }] },
  },
  {
    files: ['**/*.{ts,tsx}'],
    extends: [...tseslint.configs.recommendedTypeChecked, ...tseslint.configs.stylisticTypeChecked],
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    plugins: { vantfell: { rules: { 'own-members': ownMembers } } },
    rules: {
      'vantfell/own-members': 'error',
      '@typescript-eslint/consistent-type-definitions': ['error', 'interface'],
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      // Nothing here is a class with a `this` of its own: methods are closures, and may be taken off their object.
      '@typescript-eslint/unbound-method': 'off',
      '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true, allowBoolean: true }],
      '@typescript-eslint/prefer-nullish-coalescing': 'off',
    },
  },
  {
    // Answers of a service have every form: tests look into them without saying which.
    files: ['test/**/*.ts', 'src/**/*.test.ts'],
    rules: {
      '@typescript-eslint/no-unsafe-argument': 'off',
      '@typescript-eslint/no-unsafe-assignment': 'off',
      '@typescript-eslint/no-unsafe-call': 'off',
      '@typescript-eslint/no-unsafe-member-access': 'off',
      '@typescript-eslint/no-unsafe-return': 'off',
    },
  },
  {
    files: ['**/*.mjs', '**/*.cjs', '**/*.js'],
    rules: { 'no-unused-vars': ['error', { argsIgnorePattern: '^_' }] },
    languageOptions: {
      globals: {
        process: 'readonly',
        console: 'readonly',
        URL: 'readonly',
        structuredClone: 'readonly',
        fetch: 'readonly',
        Buffer: 'readonly',
        module: 'writable',
        setTimeout: 'readonly',
        clearTimeout: 'readonly',
        performance: 'readonly',
      },
    },
  },
);
