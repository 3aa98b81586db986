/** Lint rules: the recommended ones, the directions of imports, and what keeps pictures the same on every machine. */
import js from '@eslint/js';
import prettier from 'eslint-config-prettier';
import vue from 'eslint-plugin-vue';
import globals from 'globals';
import tseslint from 'typescript-eslint';
import vueParser from 'vue-eslint-parser';
import { assemblyParser } from './tools/assemblyParser.mjs';

/** Which workspaces a folder may not import. */
const forbidden = (folder, names) => ({
  files: [`${folder}/**/*.{ts,vue}`],
  rules: {
    'no-restricted-imports': [
      'error',
      {
        patterns: names.map((n) => ({
          group: [`@daxel/${n}`, `@daxel/${n}/**`, `**/${n}/**`],
          message: `${folder} does not import ${n}.`,
        })),
      },
    ],
  },
});

/** Engines may round these differently: core/math/exact.ts has its own. */
const INEXACT = [
  'sin',
  'cos',
  'tan',
  'asin',
  'acos',
  'atan',
  'atan2',
  'exp',
  'exp2',
  'expm1',
  'log',
  'log2',
  'log10',
  'log1p',
  'pow',
  'cbrt',
  'sinh',
  'cosh',
  'tanh',
  'random',
];

export default tseslint.config(
  { ignores: ['**/node_modules', 'build', 'data', 'docs', 'kernel/assembly/layouts', 'kernel/generated'] },
  js.configs.recommended,
  ...tseslint.configs.strict,
  ...vue.configs['flat/recommended'],
  {
    files: ['**/*.vue'],
    languageOptions: { parser: vueParser, parserOptions: { parser: tseslint.parser, sourceType: 'module' } },
  },
  {
    languageOptions: { globals: { ...globals.node, ...globals.browser } },
    rules: {
      'no-undef': 'off',
      '@typescript-eslint/no-non-null-assertion': 'off',
      '@typescript-eslint/no-unused-vars': ['error', { varsIgnorePattern: '^_', argsIgnorePattern: '^_' }],
      'vue/multi-word-component-names': 'off',
      eqeqeq: 'error',
      'no-console': 'error',
    },
  },
  {
    files: ['core/**/*.ts'],
    ignores: ['**/*.test.ts', 'core/testing/**'],
    rules: {
      'no-restricted-properties': [
        'error',
        ...INEXACT.map((property) => ({
          object: 'Math',
          property,
          message: 'Use core/math/exact: pictures must not depend on the engine.',
        })),
      ],
    },
  },
  {
    files: ['kernel/assembly/*.ts'],
    languageOptions: { parser: assemblyParser },
    rules: {
      // there `==` compares values, `===` identity
      eqeqeq: 'off',
    },
  },
  {
    rules: {
      'max-lines': ['error', { max: 400, skipBlankLines: true, skipComments: true }],
      'max-lines-per-function': ['error', { max: 120, skipBlankLines: true, skipComments: true }],
      'max-params': ['error', 6],
    },
  },
  forbidden('kernel', ['core', 'formats', 'demo', 'api', 'server', 'web']),
  forbidden('core', ['formats', 'demo', 'api', 'server', 'web']),
  forbidden('formats', ['demo', 'api', 'server', 'web']),
  forbidden('demo', ['formats', 'api', 'server', 'web']),
  forbidden('api', ['formats', 'demo', 'server', 'web']),
  forbidden('server', ['web']),
  forbidden('web', ['server']),
  prettier,
);
