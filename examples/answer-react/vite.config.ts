import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';
import { demoFolder, publicPaths } from '../alias.ts';

export default defineConfig({
  root: import.meta.dirname,
  base: './',
  publicDir: demoFolder,
  plugins: [react()],
  resolve: { alias: publicPaths(), dedupe: ['react'] },
  build: { target: 'es2022', chunkSizeWarningLimit: 2000 },
});
