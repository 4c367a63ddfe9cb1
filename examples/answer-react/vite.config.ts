import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';
import { application } from '../alias.ts';

export default defineConfig({ ...application(import.meta.dirname), plugins: [react()] });
