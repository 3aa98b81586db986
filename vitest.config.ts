import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    // one is left free by default, which on two cores is half of them
    maxWorkers: 2,
    projects: [
      {
        test: {
          name: 'unit',
          include: ['{kernel,core,formats,demo,api,server,web,tools,bench}/**/*.test.ts'],
          exclude: ['**/node_modules/**', 'build/**'],
          testTimeout: 60_000,
          setupFiles: ['tools/testSetup.ts'],
          globalSetup: ['tools/buildKernel.mjs'],
        },
      },
      {
        test: {
          name: 'e2e',
          include: ['e2e/**/*.test.ts'],
          globalSetup: ['e2e/setup.ts'],
          fileParallelism: false,
          testTimeout: 120_000,
          hookTimeout: 180_000,
        },
      },
    ],
  },
});
