// Readers and writers of files, loaded together for the first file.
export { arrowColumns, arrowTable } from './arrow.ts';
export { parquetOf } from './parquet.ts';
export { readFileTable } from './table.ts';
