// Charts as users import them, and how they are drawn.
import { escapeHtml } from '../basics/text.ts';
import { DurchblickError } from '../errors.ts';
import type { Charted } from './panels.ts';
import { type ChartSpec, chartSpec } from './spec.ts';

export type { ThemeName } from './look.ts';
export type { Charted } from './panels.ts';
export { type SpansOptions, spansSpec } from './spans.ts';
export { type ChartOptions, type ChartSpec, chartSpec } from './spec.ts';

export type ChartKind = 'svg' | 'png' | 'html' | 'vl.json';

const needs = async <T>(load: () => Promise<T>, packages: string): Promise<T> => {
  try {
    return await load();
  } catch (error) {
    throw new DurchblickError('no-package', `charts need ${packages}`, {
      kind: 'engine',
      hint: `Install them: npm install ${packages}. (${(error as Error).message.split('\n')[0]})`,
    });
  }
};

/** Draws a specification as SVG, in Node.js and in browsers, without a canvas. */
export const renderSvg = async (spec: ChartSpec): Promise<string> => {
  const [vega, lite] = await needs(() => Promise.all([import('vega'), import('vega-lite')]), 'vega vega-lite');
  const compiled = lite.compile(spec as unknown as Parameters<typeof lite.compile>[0]).spec;
  // The library writes its faults to the console and draws on; half a picture is none.
  const faults: unknown[] = [];
  const logger = vega.logger(vega.Error);
  logger.error = (...args: readonly unknown[]) => {
    faults.push(...args);
    return logger;
  };
  const view = new vega.View(vega.parse(compiled), { renderer: 'none', logger });
  try {
    const svg = await view.toSVG();
    if (faults.length > 0)
      throw new DurchblickError('chart-failed', `the chart cannot be drawn: ${(faults[0] as Error).message ?? String(faults[0])}`, {
        kind: 'engine',
      });
    return svg;
  } finally {
    view.finalize();
  }
};

/** Keeps bundlers for browsers from following imports that only Node.js takes. */
const nodeModule = (name: string): string => name;

/** The font comes with a package, so that a machine without fonts draws the same picture. */
const fontFiles = async (): Promise<string[]> => {
  const { createRequire } = (await import(/* @vite-ignore */ nodeModule('node:module'))) as typeof import('node:module');
  const require = createRequire(import.meta.url);
  return ['DejaVuSans.ttf', 'DejaVuSans-Bold.ttf'].flatMap((file) => {
    try {
      return [require.resolve(`dejavu-fonts-ttf/ttf/${file}`)];
    } catch {
      return [];
    }
  });
};

const renderPng = async (spec: ChartSpec): Promise<Uint8Array> => {
  const svg = await renderSvg(spec);
  const { Resvg } = await needs(
    () => import(/* @vite-ignore */ nodeModule('@resvg/resvg-js')) as Promise<typeof import('@resvg/resvg-js')>,
    '@resvg/resvg-js',
  );
  const fonts = await fontFiles();
  const picture = new Resvg(svg, {
    fitTo: { mode: 'zoom', value: 1.5 },
    font: { fontFiles: fonts, loadSystemFonts: fonts.length === 0, defaultFontFamily: 'DejaVu Sans', sansSerifFamily: 'DejaVu Sans' },
  });
  return picture.render().asPng();
};

export interface RenderOptions {
  /** Title of a page. */
  readonly title: string;
  readonly locale: string;
}

/** Draws a specification: as a page or picture, or written down itself. PNG needs Node.js. */
export const renderSpec = async (spec: ChartSpec, kind: ChartKind, { title, locale }: RenderOptions): Promise<string | Uint8Array> => {
  switch (kind) {
    case 'vl.json':
      return `${JSON.stringify(spec, null, 2)}\n`;
    case 'png':
      return renderPng(spec);
    case 'html':
      return `<!doctype html>\n<html lang="${escapeHtml(locale)}"><meta charset="utf-8"><title>${escapeHtml(title)}</title>\n<body style="margin:1rem">${await renderSvg(spec)}</body></html>\n`;
    default:
      return renderSvg(spec);
  }
};

/** Draws a result, or one that travelled as JSON. */
export const renderChart = async (result: Charted, kind: ChartKind): Promise<string | Uint8Array> => {
  if (result.rows.length === 0)
    throw new DurchblickError('empty-chart', 'there is nothing to draw: the answer has no rows', { hint: 'Ask for a range with data.' });
  return renderSpec(chartSpec(result), kind, { title: result.caption, locale: result.locale });
};
