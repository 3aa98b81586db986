/** Bundles the server's entries into build/server; packages from the registry stay outside. */
import { defineConfig } from 'vite';

export default defineConfig({
  root: import.meta.dirname,
  build: {
    ssr: true,
    outDir: '../build/server',
    emptyOutDir: false,
    target: 'node20',
    minify: false,
    sourcemap: false,
    rollupOptions: {
      input: { zz_rast: '../bench/zz_rast.ts' },
      output: { entryFileNames: '[name].js', chunkFileNames: 'chunks/[name]-[hash].js' },
    },
  },
});
