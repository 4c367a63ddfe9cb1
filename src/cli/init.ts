// `init`: a first model of files.
import { access, type FileHandle, open } from 'node:fs/promises';
import { dirname, relative, resolve } from 'node:path';
import { draftModel } from '../draft/index.ts';
import { DurchblickError } from '../errors.ts';
import type { ByteSource } from '../files/bytes.ts';
import { missingFile } from '../files/missing.ts';
import { databaseMaker } from './book.ts';
import { STDIN, stdinFile } from './stdin.ts';
import { tablesToDraft } from './tables.ts';
import { deliver, toStderr } from './write.ts';

export interface InitOptions {
  readonly output?: string;
  /** A database whose tables a model is drafted of. */
  readonly connect?: string;
}

/** Asks in a terminal what a draft cannot know; in a pipe nothing is asked. */
const settled = async (yaml: string): Promise<string> => {
  if (!process.stdin.isTTY || !process.stderr.isTTY) return yaml;
  const { createInterface } = await import('node:readline/promises');
  const ask = createInterface({ input: process.stdin, output: process.stderr });
  try {
    const name = (await ask.question('What is the model called? [My model] ')).trim();
    const zone = (await ask.question('In which time zone do its days begin? [UTC] ')).trim();
    const valid = zone === '' || Intl.supportedValuesOf('timeZone').includes(zone);
    if (!valid) toStderr(`"${zone}" is no time zone that is known here; UTC stays.\n`);
    return yaml
      .replace(/^name: .*$/m, name === '' ? 'name: My model' : `name: ${JSON.stringify(name)}`)
      .replace(/^time-zone: UTC/m, zone !== '' && valid ? `time-zone: ${zone}` : 'time-zone: UTC');
  } finally {
    ask.close();
  }
};

/** A file of which only the parts that are looked at are read. */
const partsOf = async (file: string, handles: FileHandle[]): Promise<ByteSource> => {
  const handle = await open(file);
  handles.push(handle);
  const stat = await handle.stat();
  if (stat.isDirectory()) throw Object.assign(new Error(`${file} is a folder`), { code: 'EISDIR' });
  const { size } = stat;
  const slice = async (start: number, end = size): Promise<ArrayBuffer> => {
    const bytes = new Uint8Array(Math.max(0, Math.min(end, size) - start));
    await handle.read(bytes, 0, bytes.length, start);
    return bytes.buffer;
  };
  return { byteLength: size, slice };
};

/** What standard input is called while a model is drafted of it. */
const PIPED = 'stdin.csv';

/** Drafts a model of files and says what in it is a guess. */
export const init = async (files: readonly string[], { output, connect }: InitOptions): Promise<number> => {
  if (files.length === 0 && connect === undefined)
    throw new DurchblickError('bad-option', 'there is nothing to draft a model from', {
      hint: 'Name files, or a database: npx durchblick init data/*.csv, npx durchblick init --connect postgres://user@host/database',
    });
  if (output !== undefined) {
    const there = await access(output).then(
      () => true,
      () => false,
    );
    if (there)
      throw new DurchblickError('file-taken', `${output} is there already`, { hint: 'Name another file; nothing is overwritten.' });
  }
  const folder = output === undefined ? process.cwd() : dirname(resolve(output));
  const handles: FileHandle[] = [];
  const opened = async (file: string) => {
    const isPiped = file === STDIN;
    const bytes = await partsOf(isPiped ? await stdinFile() : file, handles).catch(async (error: NodeJS.ErrnoException) => {
      if (error instanceof DurchblickError) throw error;
      throw await missingFile(error, { path: file, what: 'the file', inFolder: `Name the files in it: ${file}/*.csv` });
    });
    return { file: isPiped ? PIPED : relative(folder, resolve(file)) || file, bytes };
  };
  const found = connect === undefined ? Promise.all(files.map(opened)) : tablesToDraft(await databaseMaker(connect), files);
  const { yaml, guesses } = await found.then(draftModel).finally(() => Promise.all(handles.map((handle) => handle.close())));
  const text = await settled(yaml.replace(`file: ${PIPED}`, `file: "${STDIN}"`));
  await deliver(text, output);
  for (const guess of guesses) toStderr(`guessed: ${guess}\n`);
  if (output !== undefined)
    toStderr(`Read it through, then: npx durchblick check ${output}${connect === undefined ? '' : ' --connect …'}\n`);
  return 0;
};
