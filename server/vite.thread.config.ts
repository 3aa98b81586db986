/**
 * Bundles the render thread into one file: functions that lie in other chunks are reached through bindings the engine
 * does not inline across (lamp-room took a fifth longer).
 */
import { defineConfig } from 'vite';

export default defineConfig({
  root: import.meta.dirname,
  build: {
    ssr: true,
    outDir: '../build/server',
    emptyOutDir: false,
    target: 'node20',
    minify: false,
    rollupOptions: {
      input: { renderThread: 'render/renderThread.ts' },
      output: { entryFileNames: '[name].js', codeSplitting: false },
    },
  },
});
