// CSV files as DuckDB is asked to read them: nothing of what they are is left to be guessed.
import { createReadStream } from 'node:fs';
import { open } from 'node:fs/promises';
import { createGunzip } from 'node:zlib';
import { DurchblickError } from '../../errors.ts';
import type { Separator } from '../../files/csv.ts';
import type { FoundFile } from '../../files/folder.ts';
import { isPacked } from '../../files/gzip.ts';
import { duckdbDialect } from './dialect.ts';

const { text } = duckdbDialect;

/** A path as DuckDB takes it for itself and for no pattern. */
const literal = (path: string): string => text(path.replace(/[*?[]/g, '[$&]'));
export const fileList = (files: readonly FoundFile[]): string => `[${files.map(({ real }) => literal(real)).join(', ')}]`;

/** The bytes of a text file, unpacked where its name says that it is packed. */
export async function* csvPieces({ name, real }: FoundFile): AsyncGenerator<Uint8Array> {
  const stream = createReadStream(real, { highWaterMark: 4 * 2 ** 20 });
  if (!isPacked(name)) {
    yield* stream;
    return;
  }
  const unpacked = createGunzip();
  stream.on('error', (error) => unpacked.destroy(error));
  try {
    yield* stream.pipe(unpacked);
  } catch (error) {
    if (error instanceof Error && 'code' in error && String(error.code).startsWith('Z_'))
      throw new DurchblickError('bad-file', `${name} is not packed by gzip, or is damaged`, {
        kind: 'data',
        hint: 'It must be what its ending says.',
      });
    throw error;
  }
}

const GLANCE = 2 ** 20;

/** The same for whoever keeps nothing of a piece: each is overwritten by the next, which spares memory that is touched for the first time. */
export async function* csvGlances(file: FoundFile): AsyncGenerator<Uint8Array> {
  if (isPacked(file.name)) {
    yield* csvPieces(file);
    return;
  }
  const handle = await open(file.real);
  try {
    const buffer = new Uint8Array(GLANCE);
    for (;;) {
      const { bytesRead } = await handle.read(buffer, 0, GLANCE);
      if (bytesRead === 0) return;
      yield buffer.subarray(0, bytesRead);
    }
  } finally {
    await handle.close();
  }
}

/** Longer records than this DuckDB is not asked to read. */
export const LONGEST = 16 * 2 ** 20;

/** How CSV files are to be read. */
export interface CsvReading {
  readonly separator: Separator;
  readonly ends: 'lf' | 'crlf';
  /** Name and type of each column. */
  readonly columns: readonly (readonly [name: string, type: string])[];
}

export const readCsvSql = (files: readonly FoundFile[], { separator, ends, columns: given }: CsvReading): string => {
  const columns = given.map(([name, type]) => `${text(name)}: '${type}'`);
  const settings = [
    `columns = {${columns.join(', ')}}`,
    'auto_detect = false',
    `compression = '${isPacked(files[0].name) ? 'gzip' : 'none'}'`,
    'header = true',
    `delim = ${text(separator)}`,
    `quote = '"'`,
    `escape = '"'`,
    `comment = ''`,
    'skip = 0',
    `nullstr = ''`,
    'strict_mode = true',
    'null_padding = false',
    'ignore_errors = false',
    'union_by_name = false',
    'hive_partitioning = false',
    'filename = false',
    `new_line = '${ends === 'crlf' ? '\\r\\n' : '\\n'}'`,
    `max_line_size = ${LONGEST}`,
    `buffer_size = ${4 * LONGEST}`,
  ];
  return `read_csv(${fileList(files)}, ${settings.join(', ')})`;
};
