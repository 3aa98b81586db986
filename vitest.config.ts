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
          testTimeout: 90_000,
          // folders of a thousand files are copied and removed around some tests, on disks that others use as well
          hookTimeout: 120_000,
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
