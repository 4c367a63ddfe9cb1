import { defineConfig } from 'vite';
import { demoFolder, publicPaths } from '../alias.ts';

export default defineConfig({
  root: import.meta.dirname,
  base: './',
  publicDir: demoFolder,
  resolve: { alias: publicPaths() },
  build: { target: 'es2022', chunkSizeWarningLimit: 2000 },
});
