const base = {
  testEnvironment: 'node',
  transform: {
    '^.+\\.(t|j|mj)sx?$': [
      '@swc/jest',
      {
        jsc: {
          parser: { syntax: 'typescript', tsx: true },
          target: 'es2022',
          transform: { react: { runtime: 'automatic' } },
        },
        module: { type: 'commonjs' },
      },
    ],
  },
  transformIgnorePatterns: ['/node_modules/(?!(temporal-polyfill|temporal-utils|temporal-spec|@noble|canonicalize)/)'],
  // The package has no entry for require, which Jest uses.
  moduleNameMapper: {
    '^@/(.*)$': '<rootDir>/$1',
    '^canonicalize$': '<rootDir>/node_modules/canonicalize/lib/canonicalize.js',
  },
  modulePathIgnorePatterns: ['<rootDir>/.next', '<rootDir>/.data'],
};
export default {
  projects: [
    {
      ...base,
      displayName: 'unit',
      testMatch: [
        '<rootDir>/{core,store,commands,queries,engine,connectors,standin,ui,demo,scripts,app}/**/*.test.{ts,tsx}',
      ],
    },
    { ...base, displayName: 'integration', testMatch: ['<rootDir>/tests/integration/**/*.test.ts'] },
  ],
};
