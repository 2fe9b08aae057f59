import base from './jest.config.js';

export default { ...base, testMatch: ['<rootDir>/test/long/*.test.ts'], testTimeout: 1_200_000 };
