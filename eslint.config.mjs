import importX from 'eslint-plugin-import-x';
import reactHooks from 'eslint-plugin-react-hooks';
import tseslint from 'typescript-eslint';

/**
 * What each folder may import, besides itself. The one statement of the layers; docs/decisions.md explains it.
 * Anything not listed here is refused by `no-restricted-imports` below.
 */
const MAY_IMPORT = {
  core: [],
  store: ['core'],
  commands: ['store', 'connectors', 'core'],
  queries: ['store', 'core'],
  connectors: ['core'],
  engine: ['store', 'connectors', 'core'],
  standin: ['core'],
  ui: ['core'],
  workers: ['core'],
  app: ['commands', 'queries', 'ui', 'core'],
  demo: ['core', 'store', 'commands', 'queries', 'connectors', 'engine', 'standin'],
};
const FOLDERS = [...Object.keys(MAY_IMPORT), 'scripts', 'tests'];

const layerRules = Object.entries(MAY_IMPORT).map(([folder, allowed]) => ({
  files: [`${folder}/**/*.{ts,tsx}`],
  ignores: ['**/*.test.ts', '**/*.test.tsx'],
  rules: {
    'no-restricted-imports': [
      'error',
      {
        patterns: [
          {
            group: FOLDERS.filter((name) => name !== folder && !allowed.includes(name)).map((name) => `@/${name}/*`),
            message: `${folder}/ may import only: ${[folder, ...allowed].join(', ')}.`,
          },
          ...(folder === 'core'
            ? [{ group: ['node:*', 'react*', 'next*', 'sequelize', 'mysql2'], message: 'core/ is pure.' }]
            : []),
          ...(folder === 'ui'
            ? [{ group: ['sequelize', 'mysql2', 'node:*'], message: 'ui/ runs in the browser.' }]
            : []),
        ],
      },
    ],
  },
}));

export default tseslint.config(
  { ignores: ['.next/**', '.data/**', 'node_modules/**', 'next-env.d.ts', 'coverage/**'] },
  ...tseslint.configs.recommended,
  {
    files: ['**/*.{ts,tsx}'],
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    plugins: { 'import-x': importX, 'react-hooks': reactHooks },
    settings: { 'import-x/resolver': { typescript: true } },
    rules: {
      '@typescript-eslint/no-floating-promises': 'error',
      '@typescript-eslint/switch-exhaustiveness-check': ['error', { considerDefaultExhaustiveForUnions: true }],
      '@typescript-eslint/consistent-type-imports': ['error', { fixStyle: 'separate-type-imports' }],
      'react-hooks/rules-of-hooks': 'error',
      'react-hooks/exhaustive-deps': 'error',
      eqeqeq: ['error', 'always', { null: 'ignore' }],
      'max-lines': ['error', { max: 400, skipBlankLines: true, skipComments: true }],
    },
  },
  ...layerRules,
  {
    files: ['core/**/*.ts'],
    ignores: ['**/*.test.ts'],
    rules: {
      'no-restricted-properties': [
        'error',
        { object: 'Date', property: 'now', message: 'core/ has no clock: take now as an argument.' },
        { object: 'Math', property: 'random', message: 'core/ has no chance: take a seed as an argument.' },
        { object: 'process', property: 'env', message: 'core/ reads no environment.' },
      ],
      'no-restricted-syntax': [
        'error',
        { selector: 'NewExpression[callee.name="Date"][arguments.length=0]', message: 'core/ has no clock.' },
      ],
    },
  },
);
