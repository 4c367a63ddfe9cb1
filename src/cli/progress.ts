// A line on the terminal that says what a command is doing, once it takes more than two seconds.
import { clearLine, cursorTo } from 'node:readline';
import { words } from './words.ts';

/** Milliseconds before the line is shown. */
const PATIENCE = 2000;

let what = '';
let timer: NodeJS.Timeout | undefined;
let isShown = false;

const clear = (): void => {
  if (!isShown) return;
  clearLine(process.stderr, 0);
  cursorTo(process.stderr, 0);
  isShown = false;
};

const show = (): void => {
  clear();
  process.stderr.write(words(what.replace(/\s+/g, ' ').slice(0, (process.stderr.columns ?? 80) - 1)));
  isShown = true;
};

/** Says what is done now. Nothing is shown if stderr is no terminal. */
export const showProgress = (text: string): void => {
  if (process.stderr.isTTY !== true) return;
  what = text;
  if (isShown) show();
  timer ??= setTimeout(show, PATIENCE);
};

/** Removes the line, before anything else is written. */
export const endProgress = (): void => {
  clearTimeout(timer);
  timer = undefined;
  clear();
};
