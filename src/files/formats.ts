// Arrow tables and writers of files, loaded together for the first of them.
export { arrowColumns, arrowTable } from './arrow.ts';
export { parquetOf } from './parquet.ts';
