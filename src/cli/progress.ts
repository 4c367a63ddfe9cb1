// The progress bar of work that takes over a second.
import { Presets, SingleBar } from 'cli-progress';

export interface Progress {
  /** The next stage begins. */
  readonly step: (what: string) => void;
  /** What the stage is at. */
  readonly at: (what: string) => void;
  readonly done: () => void;
}

/** Work that takes less than this, in milliseconds, shows no bar. */
const PATIENCE = 1000;

/** A bar over stages on a terminal, for work that takes longer than a second; nothing elsewhere. */
export const progress = (stages: number): Progress => {
  if (process.stderr.isTTY !== true) return { step: () => undefined, at: () => undefined, done: () => undefined };
  const start = Date.now();
  const bar = new SingleBar(
    { format: '{bar} {what}', stream: process.stderr, clearOnComplete: true, hideCursor: true, barsize: 20, linewrap: false },
    Presets.shades_grey,
  );
  let stage = -1;
  let what = '';
  const show = (): void => {
    if (bar.isActive) bar.update(Math.max(stage, 0), { what });
    else if (Date.now() - start >= PATIENCE) bar.start(stages, Math.max(stage, 0), { what });
  };
  const timer = setInterval(show, 200);
  return {
    step: (next) => {
      stage++;
      what = next;
      show();
    },
    at: (next) => {
      what = next;
      show();
    },
    done: () => {
      clearInterval(timer);
      bar.stop();
    },
  };
};
