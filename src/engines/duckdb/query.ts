// Resolves the file names in a model's query, which are relative to the model.
import { checkPath } from '../../files/files.ts';
import type { FolderFiles } from '../../files/folder.ts';
import { duckdbDialect } from './dialect.ts';

/** A literal where a file may stand: behind FROM or JOIN, or first in a function that reads files. */
const PLACE = /(\b(?:from|join)\s+|\b(?:read_\w+|parquet_\w+|glob)\s*\(\s*(\[?)\s*)'((?:[^']|'')*)'/gi;

/** The DuckDB function that reads a file type. */
const readerOf = (path: string): string => (/\.parquet$/i.test(path) ? 'read_parquet' : /json/i.test(path) ? 'read_json' : 'read_csv');

/** The query with absolute paths. DuckDB's settings decide what it may read, not this. */
export const withAbsolutePaths = async (query: string, files: FolderFiles): Promise<string> => {
  const found = new Map<string, readonly string[]>();
  for (const [, , , written] of query.matchAll(PLACE)) {
    const path = written.replaceAll("''", "'");
    checkPath(path);
    found.set(
      path,
      (await files.find(path)).map(({ real }) => duckdbDialect.text(real.replace(/[*?[]/g, '[$&]'))),
    );
  }
  return query.replace(PLACE, (all, before: string, bracket: string | undefined, written: string) => {
    const path = written.replaceAll("''", "'");
    const literals = found.get(path);
    if (literals === undefined) return all;
    // Expanded here, because DuckDB's glob would also match cache folders.
    if (literals.length === 1 || bracket === '[') return `${before}${literals.join(', ')}`;
    const list = `[${literals.join(', ')}]`;
    return /\($/.test(before.trimEnd()) ? `${before}${list}` : `${before}${readerOf(path)}(${list})`;
  });
};
