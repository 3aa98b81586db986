/** Bundles the browser application into build/web. */
import vue from '@vitejs/plugin-vue';
import { defineConfig } from 'vite';
import vuetify from 'vite-plugin-vuetify';

export default defineConfig({
  root: import.meta.dirname,
  plugins: [vue(), vuetify({ autoImport: true })],
  worker: { format: 'es' },
  build: { outDir: '../build/web', emptyOutDir: true, target: 'es2022', chunkSizeWarningLimit: 900 },
});
