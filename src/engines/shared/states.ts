// The present state of a model's files, and what to do when it is another one than before (V6).
import { DurchblickError } from '../../errors.ts';
import type { Files } from '../../files/files.ts';
import type { Model } from '../../model/model.ts';
import type { Store } from '../engine.ts';

/** Tells the present state of all files of a model; those that cannot be looked at say why instead. */
export const sourceStates = (model: Model, files: Files | undefined, given: readonly string[]): (() => Promise<string>) => {
  const { holidays } = model.input.calendar?.workingDays ?? {};
  const paths = [
    ...[...model.sources.values()].flatMap((source) => (source.kind === 'file' && !given.includes(source.name) ? [source.file] : [])),
    ...(typeof holidays === 'string' ? [holidays] : []),
  ];
  const state = files?.state;
  if (!state || paths.length === 0) return async () => '';
  return async () => (await Promise.all(paths.map((path) => state(path).catch((error: Error) => `${path}: ${error.message}`)))).join('\n');
};

/** How often files are opened that change meanwhile. */
const MOST_TRIES = 5;

/** Opens a store over files that may change: they must be the same before and after, and the store can tell later. */
export const changing = async (state: () => Promise<string>, open: () => Promise<Store>, tries = MOST_TRIES): Promise<Store> => {
  const before = await state();
  if (before === '') return open();
  const store = await open();
  const after = await state();
  if (after === before) return { ...store, state, opened: { token: before, time: Date.now() } };
  await store.close();
  if (tries > 1) return changing(state, open, tries - 1);
  throw sourceChanged('while it was opened', before, after);
};

/** A file that changed in the middle of something (V6). */
export const sourceChanged = (when: string, before: string, after: string): DurchblickError => {
  const lines = before.split('\n');
  const changed = after.split('\n').find((line, k) => line !== lines[k]) ?? '';
  const name = changed.replace(/:\d+:\d+:\d+(:\d+)?(:[0-9a-f]{16})?$/, '').replace(/^.*[/\\]/, '');
  return new DurchblickError('source-changed', `${name === '' ? 'a source' : name} changed ${when}`, {
    kind: 'data',
    hint: 'Ask again: the next question is answered from what is there then. Write files aside and rename them.',
  });
};
