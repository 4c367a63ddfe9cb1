import { mkdirSync, mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { DuckDBInstance } from '@duckdb/node-api';
import { chromium } from 'playwright-core';
import { build, type InlineConfig, preview } from 'vite';
import { median, ms, print } from './rig.ts';

/**
 * The explorer over a million rows in a real browser: from the key that moves the as-of date, or changes the unit, to
 * the moment when the table has the new numbers.
 */
const ROWS = Number(process.env.BENCH_ROWS ?? 1_000_000);
const folder = mkdtempSync(join(tmpdir(), 'explorer-bench-'));
mkdirSync(folder, { recursive: true });
const connection = await (await DuckDBInstance.create()).connect();
await connection.run(`copy (select (date '2023-01-01' + (hash(i) % 1322)::integer) as ordered_on, ['North', 'East', 'South', 'West', 'Alps'][(hash(i + 7) % 5)::integer + 1] as region,
  (hash(i * 3) % 9000)::integer::decimal(10, 2) / 100 as amount from range(${ROWS}) t(i)) to '${folder}/lines.parquet' (format parquet)`);
connection.closeSync();
writeFileSync(
  join(folder, 'model.yaml'),
  `durchblick: 1
name: A million lines
sources: { lines: { file: lines.parquet } }
dimensions: { region: {} }
facts:
  lines: { source: lines, dates: { ordered: ordered_on }, links: { region: region }, measures: { revenue: { sum: amount }, lines: { count: rows } } }
`,
);
const configFile = 'examples/explorer/vite.config.ts';
// The model's folder takes the place of the demo's.
await build({
  configFile,
  publicDir: folder,
  logLevel: 'error',
  build: { outDir: join(folder, 'page'), emptyOutDir: true },
} as InlineConfig);
const server = await preview({
  configFile,
  logLevel: 'error',
  build: { outDir: join(folder, 'page') },
  preview: { port: 0, host: '127.0.0.1' },
});
const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox', '--disable-gpu'] });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
await page.goto(
  `${server.resolvedUrls?.local[0]}?show=revenue&show=revenue+vs+year-earlier+as+change&by=month&per=region&range=rolling-12-months`,
);
await page.waitForSelector('#answer tbody tr', { timeout: 120_000 });

/** Milliseconds from an event of the page to the next change of the table. */
const changes = async (event: 'keydown' | 'click', act: () => Promise<void>): Promise<number> => {
  await page.evaluate((name) => {
    const own = window as unknown as { took?: Promise<number> };
    own.took = new Promise((resolve) => {
      let start = 0;
      window.addEventListener(name, () => (start = performance.now()), { capture: true, once: true });
      const seen = new MutationObserver(() => {
        if (start === 0) return;
        seen.disconnect();
        resolve(performance.now() - start);
      });
      seen.observe(document.querySelector('#answer') as Element, { subtree: true, childList: true, characterData: true });
    });
  }, event);
  await act();
  return page.evaluate(() => (window as unknown as { took: Promise<number> }).took);
};
const slides: number[] = [];
await page.getByRole('slider').focus();
for (let k = 0; k < 25; k++) {
  const took = await changes('keydown', () => page.keyboard.press('ArrowLeft'));
  if (k > 4) slides.push(took);
  await page.waitForTimeout(150);
}
const units: number[] = [];
for (const unit of ['week', 'quarter', 'month', 'week', 'quarter', 'month']) {
  await page.getByRole('combobox', { name: 'By', exact: true }).click();
  const option = page.getByRole('option', { name: unit, exact: true });
  await option.waitFor();
  units.push(await changes('click', () => option.click()));
  await page.waitForTimeout(300);
}
print(`${ROWS} rows in the browser: as-of date moves, to the new table`, ms(median(slides)));
print('another unit, to the new table', ms(median(units)));
await browser.close();
await server.close();
