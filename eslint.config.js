import js from '@eslint/js';
import hooks from 'eslint-plugin-react-hooks';
import tseslint from 'typescript-eslint';

/** The layers of src/, top to bottom: an import may only point down this list. */
const LAYERS = ['console', 'cli', 'client', 'simulator', 'service', 'operations', 'store', 'core', 'shared'];

/** What each layer may import besides itself; narrower than "everything below". */
const MAY_IMPORT = {
  console: ['client', 'shared'],
  cli: ['client', 'core', 'shared'],
  client: ['shared'],
  simulator: ['core', 'shared'],
  service: ['operations', 'store', 'core', 'shared'],
  operations: ['store', 'core', 'shared'],
  store: ['core', 'shared'],
  core: ['shared'],
  shared: [],
};

/** Packages that do I/O: computation in core/ must not reach for them. */
const NOT_IN_CORE = [
  'typeorm',
  'pg',
  'hono',
  'nodemailer',
  'smtp-server',
  'pino',
  'node:fs',
  'node:net',
  'node:http',
  'node:dns',
];

const layerRules = LAYERS.map((layer) => {
  const forbidden = LAYERS.filter((other) => other !== layer && !MAY_IMPORT[layer].includes(other));
  return {
    files: [`src/${layer}/**/*.{ts,tsx}`],
    rules: {
      'no-restricted-imports': [
        'error',
        {
          paths:
            layer === 'core' || layer === 'shared'
              ? NOT_IN_CORE.map((name) => ({ name, message: 'core/ and shared/ do no I/O.' }))
              : [],
          patterns: forbidden.map((other) => ({
            regex: `^(\\.\\./)+${other}/`,
            message: `${layer}/ may not import ${other}/: an arrow only points down the layers.`,
          })),
        },
      ],
    },
  };
});

export default tseslint.config(
  {
    ignores: [
      'dist/**',
      'node_modules/**',
      '.avendel/**',
      'coverage/**',
      '*.config.js',
      'scripts/**',
      'test/support/reading-thread.mjs',
      'src/console/vite.config.ts',
    ],
  },
  js.configs.recommended,
  ...tseslint.configs.recommendedTypeChecked,
  { languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } } },
  {
    rules: {
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true }],
      '@typescript-eslint/require-await': 'off',
      // A table that has to stay a table says so, with its reason, beside a line that turns this rule off.
      'no-warning-comments': ['error', { terms: ['prettier-ignore'], location: 'anywhere' }],
      // What prettier leaves longer is SQL, words that people read, or a comment that can be wrapped by hand.
      'max-len': [
        'error',
        { code: 120, ignoreStrings: true, ignoreTemplateLiterals: true, ignoreRegExpLiterals: true },
      ],
    },
  },
  {
    files: ['src/console/**/*.tsx', 'src/console/**/*.ts'],
    plugins: { 'react-hooks': hooks },
    rules: hooks.configs.recommended.rules,
  },
  ...layerRules,
  {
    files: ['src/store/**/*.ts', 'src/operations/**/*.ts', 'src/service/**/*.ts'],
    ignores: ['src/store/migrations/**', 'src/store/sql.ts'],
    rules: {
      'no-restricted-syntax': [
        'error',
        {
          selector:
            'CallExpression[callee.property.name="query"][callee.object.name=/^(sql|manager|runner|database)$/]',
          message: 'SQL is run by rowsOf, changedBy and execute of store/sql.ts, which say what comes back.',
        },
        {
          selector: 'CallExpression[callee.property.name="query"][callee.object.property.name="database"]',
          message: 'SQL is run by rowsOf, changedBy and execute of store/sql.ts, which say what comes back.',
        },
      ],
    },
  },
  {
    files: ['src/service/http/routes/**/*.ts'],
    rules: {
      'no-restricted-imports': [
        'error',
        {
          patterns: [
            { regex: '/store/', message: 'A route calls an operation; only that reaches into store/.' },
            { regex: '^(\\.\\./)+(console|cli|client|simulator)/', message: 'An arrow only points down the layers.' },
          ],
        },
      ],
    },
  },
);
