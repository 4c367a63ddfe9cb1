// `--chart`: the files that a chart is drawn into.
import type { ChartKind, ChartSpec } from '../chart/index.ts';
import { DurchblickError } from '../errors.ts';
import { deliver } from './write.ts';

const KINDS: readonly ChartKind[] = ['svg', 'png', 'html', 'vl.json'];

export interface ChartFile {
  readonly file: string;
  readonly kind: ChartKind;
}

/** The files of `--chart`, each with its kind by its ending. */
export const chartKinds = (files: readonly string[] = []): ChartFile[] =>
  files.map((file) => {
    const kind = KINDS.find((known) => file.endsWith(`.${known}`));
    if (kind) return { file, kind };
    throw new DurchblickError('bad-option', `--chart cannot tell the kind of "${file}"`, {
      hint: `The name ends in ${KINDS.map((known) => `.${known}`).join(', ')}.`,
    });
  });

/** Draws a specification into every file. */
export const writeCharts = async (spec: ChartSpec, title: string, locale: string, files: readonly ChartFile[]): Promise<void> => {
  const { renderSpec } = await import('../chart/index.ts');
  for (const { file, kind } of files) await deliver(await renderSpec(spec, kind, { title, locale }), file);
};
