// Standard input as a file of rows: a source whose file is `-`, or a file to draft a model from.
import { createWriteStream, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { DurchblickError } from '../errors.ts';
import { folderFiles, type ModelFile } from '../files/node.ts';
import type { Model, Source } from '../model/model.ts';

/** How standard input is named where files are. */
export const STDIN = '-';

let read: Promise<string> | undefined;

/** Reads standard input once, to a file that is gone when the process ends: engines read files, and some of them twice. */
export const stdinFile = (): Promise<string> => {
  read ??= (async () => {
    if (process.stdin.isTTY)
      throw new DurchblickError('no-file', 'nothing comes from standard input', {
        hint: 'Pipe rows into it: zcat orders.csv.gz | npx durchblick ask model.yaml revenue',
      });
    const folder = mkdtempSync(join(tmpdir(), 'durchblick-stdin-'));
    process.on('exit', () => rmSync(folder, { recursive: true, force: true }));
    const file = join(folder, 'stdin.csv');
    await pipeline(process.stdin, createWriteStream(file));
    return file;
  })();
  return read;
};

/** A model whose source is standard input, with the file that this has become; every other one as it is. */
export const withStdin = async (
  loaded: ModelFile,
  allow: readonly string[] = [],
): Promise<ModelFile & { readonly allow: readonly string[] }> => {
  const { model, folder } = loaded;
  const piped = [...model.sources.values()].filter((source) => source.kind === 'file' && source.file === STDIN);
  if (piped.length === 0) return { ...loaded, allow };
  if (piped.length > 1)
    throw new DurchblickError('contradiction', `${piped.map(({ name }) => name).join(' and ')} are both standard input`, {
      place: model.locate(['sources', piped[1].name, 'file']),
      hint: 'It can be read once.',
    });
  const file = await stdinFile();
  const sources = new Map<string, Source>(model.sources).set(piped[0].name, { ...piped[0], file } as Source);
  const own: Model = { ...model, sources };
  const more = [...allow, join(file, '..')];
  return { ...loaded, model: own, files: folderFiles(folder, { allow: more }), allow: more };
};
