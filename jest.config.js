/** Jest runs the sources as they are (ES modules), with swc for speed. */
export default {
  testEnvironment: 'node',
  roots: ['<rootDir>/test'],
  testMatch: ['**/*.test.ts'],
  extensionsToTreatAsEsm: ['.ts'],
  transform: {
    '^.+\\.ts$': [
      '@swc/jest',
      {
        jsc: {
          target: 'es2022',
          parser: { syntax: 'typescript', decorators: true },
          transform: { legacyDecorator: true },
        },
        module: { type: 'es6' },
      },
    ],
  },
  testTimeout: 240000,
  maxWorkers: 2,
  globalSetup: '<rootDir>/test/support/global-setup.ts',
};
