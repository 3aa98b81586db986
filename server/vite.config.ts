/** Bundles the server's entries into build/server; packages from the registry stay outside. */
import { defineConfig } from 'vite';

export default defineConfig({
  root: import.meta.dirname,
  build: {
    ssr: true,
    outDir: '../build/server',
    emptyOutDir: true,
    target: 'node20',
    minify: false,
    sourcemap: false,
    rollupOptions: {
      input: {
        cli: 'cli/main.ts',
        renderProcess: 'render/renderProcess.ts',
        importProcess: 'import/importProcess.ts',
        pictureProcess: 'import/pictureProcess.ts',
        frameThread: 'cli/frameThread.ts',
        rowThread: 'cli/rowThread.ts',
        databaseThread: 'db/databaseThread.ts',
        prepare: 'prepare.ts',
        bench: '../bench/main.ts',
      },
      output: { entryFileNames: '[name].js', chunkFileNames: 'chunks/[name]-[hash].js' },
    },
  },
});
