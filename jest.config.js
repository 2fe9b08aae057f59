export default {
  // As many files at once as there are processors: most of the time of a test passes in the program that it runs.
  maxWorkers: '100%',
  globalSetup: '<rootDir>/test/kit/mariadb-for-all.mjs',
  globalTeardown: '<rootDir>/test/kit/mariadb-for-none.mjs',
  testEnvironment: 'node',
  extensionsToTreatAsEsm: ['.ts'],
  transform: {
    '^.+\\.ts$': [
      '@swc/jest',
      { jsc: { target: 'es2022', parser: { syntax: 'typescript' } }, module: { type: 'es6' } },
    ],
  },
  testMatch: ['<rootDir>/src/**/*.test.ts', '<rootDir>/test/{api,cli,language,store,document,trial}/*.test.ts'],
  modulePathIgnorePatterns: ['<rootDir>/dist', '<rootDir>/build', '<rootDir>/fell-huts'],
  // Far more than any takes: a machine with other work to do is no reason to fail.
  testTimeout: 240_000,
};
