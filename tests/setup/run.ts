// Prepares a test run: installs what is missing, builds dist/, starts one PostgreSQL server and one browser.
import type { TestProject } from 'vitest/node';
import { launchBrowser } from './browser-server.ts';
import { buildOutdated } from './built.ts';
import { installMissing } from './machine.ts';
import { startPostgres } from './postgres.ts';
import { provideSeed } from './seed.ts';

declare module 'vitest' {
  interface ProvidedContext {
    /** URL of the PostgreSQL server of this run. */
    postgres: string;
    /** WebSocket address of the Chromium of this run. */
    browser: string;
  }
}

export const setup = async ({ provide }: TestProject): Promise<() => Promise<void>> => {
  installMissing();
  buildOutdated();
  provideSeed(provide);
  const [server, browser] = await Promise.all([startPostgres(), launchBrowser()]);
  provide('postgres', server.url);
  provide('browser', browser.wsEndpoint());
  return async () => {
    await Promise.all([server.stop(), browser.close()]);
  };
};
