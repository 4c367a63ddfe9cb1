import { mkdtempSync, readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { type BrowserContext, chromium, type Download, type Page } from 'playwright-core';
import { build, preview } from 'vite';
import { inject } from 'vitest';
import { ROOT } from './cli.ts';

export interface Opened {
  readonly page: Page;
  readonly context: BrowserContext;
  readonly url: string;
  /** What the page has said went wrong. */
  readonly errors: string[];
  readonly close: () => Promise<void>;
}

/** Opens a page that may ask for nothing over HTTP but what is `served`. */
export const openPage = async (url: string, served: (asked: URL) => boolean, viewport = { width: 1280, height: 800 }): Promise<Opened> => {
  const browser = await chromium.connect(inject('browser'));
  const context = await browser.newContext({ viewport, acceptDownloads: true });
  const errors: string[] = [];
  await context.route(
    (asked) => asked.protocol.startsWith('http') && !served(asked),
    (route) => {
      errors.push(`asked for ${route.request().url()}`);
      return route.abort();
    },
  );
  const page = await context.newPage();
  page.on('console', (message) => message.type() === 'error' && errors.push(message.text()));
  page.on('pageerror', (error) => errors.push(error.message));
  await page.goto(url);
  return { page, context, url, errors, close: () => browser.close() };
};

/** Opens a file of its own, that nothing else belongs to; the page reaches no network. */
export const openFile = (path: string): Promise<Opened> => openPage(pathToFileURL(path).href, () => false);

/** Serves a built Vite application and opens it in Chromium, which reaches nothing but that server. */
const openDist = async (folder: string, outDir: string): Promise<Opened> => {
  const configFile = resolve(ROOT, folder, 'vite.config.ts');
  const server = await preview({ configFile, logLevel: 'error', build: { outDir }, preview: { port: 0, host: '127.0.0.1' } });
  const url = server.resolvedUrls?.local[0] as string;
  const opened = await openPage(url, ({ href }) => href.startsWith(url));
  return {
    ...opened,
    close: async () => {
      await opened.close();
      await server.close();
    },
  };
};

/** An application that the build of the package has made already. */
export const openBuilt = (folder: string): Promise<Opened> => openDist(folder, resolve(ROOT, folder, 'dist'));

export const openApplication = async (folder: string): Promise<Opened> => {
  const outDir = mkdtempSync(join(tmpdir(), 'durchblick-page-'));
  await build({ configFile: resolve(ROOT, folder, 'vite.config.ts'), logLevel: 'error', build: { outDir, emptyOutDir: true } });
  return openDist(folder, outDir);
};

interface Violation {
  readonly id: string;
  readonly impact: string;
  readonly nodes: readonly { readonly html: string; readonly failureSummary: string }[];
}

const axeSource = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

/** What axe-core finds serious or worse on a page. */
export const serious = async (page: Page): Promise<string[]> => {
  await page.evaluate(axeSource);
  return page.evaluate(async () => {
    const { axe } = window as unknown as { axe: { run: () => Promise<{ violations: Violation[] }> } };
    const { violations } = await axe.run();
    return violations
      .filter(({ impact }) => impact === 'serious' || impact === 'critical')
      .map(({ id, nodes }) => `${id}: ${nodes[0].html.slice(0, 150)} ${nodes[0].failureSummary.slice(0, 200)}`);
  });
};

export const readDownload = async (download: Download): Promise<string> => {
  const chunks: Buffer[] = [];
  for await (const chunk of await download.createReadStream()) chunks.push(chunk as Buffer);
  return Buffer.concat(chunks).toString('utf8');
};
