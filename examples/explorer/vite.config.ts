import { basename, dirname, resolve } from 'node:path';
import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';
import { demoFolder, publicPaths } from '../alias.ts';

/** The model to open: `npm run explore -- path/to/model.yaml` names another one than the demo's. */
const model = process.env.DURCHBLICK_MODEL === undefined ? undefined : resolve(process.env.DURCHBLICK_MODEL);

export default defineConfig({
  root: import.meta.dirname,
  base: './',
  publicDir: model === undefined ? demoFolder : dirname(model),
  plugins: [react()],
  define: { __MODEL__: JSON.stringify(model === undefined ? 'model.yaml' : basename(model)) },
  resolve: { alias: publicPaths() },
  worker: { format: 'es' },
  build: { target: 'es2022', chunkSizeWarningLimit: 50_000 },
});
