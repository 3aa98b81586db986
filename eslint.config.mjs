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

/** Workspaces that the core does not import. */
const OUTSIDE_CORE = ['formats', 'demo', 'api', 'server', 'web'];

/** Which other folders of the core a folder may not import; tests may. */
const above = (folder, names) => ({
  files: [`core/${folder}/**/*.ts`],
  ignores: ['**/*.test.ts'],
  rules: {
    'no-restricted-imports': [
      'error',
      {
        patterns: [...names, ...OUTSIDE_CORE].map((n) => ({
          group: [`@daxel/${n}`, `@daxel/${n}/**`, `**/${n}/**`],
          message: `core/${folder} does not import ${n}.`,
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

/** What may be longer than the rules of length allow, and why. */
const LONGER = [
  {
    why: 'the compiled loops know numbers and addresses alone: there are no objects to gather them in',
    rule: 'max-params',
    files: ['kernel/assembly/*.ts', 'kernel/load.ts'],
  },
  {
    why: 'called for each ray, pixel or texel: places and directions are numbers, so that nothing is allocated',
    rule: 'max-params',
    files: [
      'core/film/resample.ts',
      'core/light/areaIrradiance.ts',
      'core/measure/{banding,stairs,stepping}.ts',
      'core/measure/stability/flow/{flow,matchBlocks}.ts',
      'core/raster/{binTriangles,coverageKernel,cutout,edges,reflectance,surface}.ts',
      'core/shading/{lighting,shadeKernel}.ts',
      'core/scene/textureTable.ts',
      'core/shadows/{contact,lampViews,moments,readShadow,shadowAt,shadowMap}.ts',
      'core/trace/{buildBvh,emitters,pathKernel,pathSums,portals,rayKernel,scatter,traceRay,traceShadow}.ts',
      'core/trace/paths/meetLight.ts',
      'formats/exr/unpack/piz.ts',
    ],
  },
  {
    why: 'one loop whose state is in its locals: parts of it would hand on a dozen numbers each',
    rule: 'max-lines-per-function',
    files: [
      'kernel/assembly/{lighting,occlusion,rays,screenMarch,shadowThree}.ts',
      'core/measure/stability/windowKernel.ts',
      'core/raster/surface.ts',
    ],
  },
  {
    why: 'variants of one loop, which are read beside each other',
    rule: 'max-lines',
    files: ['kernel/assembly/{emitters,followFour,rays,shadowRead}.ts'],
  },
  { why: 'a list', rule: 'max-lines', files: ['kernel/layouts.mjs', 'server/http/api.test.ts'] },
  {
    why: 'one screen with its template and styles',
    rule: 'max-lines',
    files: ['web/views/{Compare,Motion}View.vue'],
  },
  {
    why: 'parts of one state that a screen goes by, each of which reads the others',
    rule: 'max-lines-per-function',
    files: ['web/composables/useCandidates.ts', 'web/stores/document.ts'],
  },
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
      // whole numbers have 64 bits there
      'no-loss-of-precision': 'off',
      'no-constant-condition': ['error', { checkLoops: false }],
    },
  },
  {
    rules: {
      'max-lines': ['error', { max: 400, skipBlankLines: true, skipComments: true }],
      'max-lines-per-function': ['error', { max: 120, skipBlankLines: true, skipComments: true }],
      'max-params': ['error', 6],
    },
  },
  // a describe block is a list, not a function
  { files: ['**/*.test.ts'], rules: { 'max-lines-per-function': 'off' } },
  ...LONGER.map(({ rule, files }) => ({ files, rules: { [rule]: 'off' } })),
  forbidden('kernel', ['core', 'formats', 'demo', 'api', 'server', 'web']),
  forbidden('core', OUTSIDE_CORE),
  // what comes later in a frame is not known before
  above('light', ['raster', 'shadows', 'trace', 'shading', 'around', 'frame']),
  above('raster', ['light', 'shadows', 'trace', 'shading', 'around', 'frame']),
  above('shadows', ['trace', 'shading', 'around', 'frame']),
  above('trace', ['shading', 'around', 'frame']),
  above('shading', ['frame']),
  forbidden('formats', ['demo', 'api', 'server', 'web']),
  forbidden('demo', ['formats', 'api', 'server', 'web']),
  forbidden('api', ['formats', 'demo', 'server', 'web']),
  forbidden('server', ['web']),
  forbidden('web', ['server']),
  prettier,
);
