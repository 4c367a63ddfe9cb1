// Paths in the query of a model, which are relative to the model as all its paths are.
import { checkPath } from '../../files/files.ts';
import type { FolderFiles } from '../../files/folder.ts';
import { duckdbDialect } from './dialect.ts';

/** A literal where a file may stand: behind FROM or JOIN, or first in a function that reads files. */
const PLACE = /(\b(?:from|join)\s+|\b(?:read_\w+|parquet_\w+|glob)\s*\(\s*\[?\s*)'((?:[^']|'')*)'/gi;

/** The query with its files named where they lie. What it may read is decided by DuckDB's settings, not here. */
export const withAbsolutePaths = async (query: string, files: FolderFiles): Promise<string> => {
  const wanted = [...new Set(Array.from(query.matchAll(PLACE), ([, , path]) => path.replaceAll("''", "'")))];
  const found = new Map<string, string>();
  for (const path of wanted) {
    checkPath(path);
    const there = await files.find(path);
    if (there.length === 1) found.set(path, there[0].real.replace(/[*?[]/g, '[$&]'));
    else found.set(path, `${files.home}/${path}`);
  }
  return query.replace(PLACE, (all, before: string, path: string) => {
    const real = found.get(path.replaceAll("''", "'"));
    return real === undefined ? all : `${before}${duckdbDialect.text(real)}`;
  });
};
