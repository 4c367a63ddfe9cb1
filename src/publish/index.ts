// Writes publications of a model to tables and files.
export type { Publication, PublishedFormat } from '../model/model.ts';
export { duckdbTarget } from './duckdb.ts';
export { type FileTargetOptions, fileTarget } from './file.ts';
export { postgresTarget } from './postgres.ts';
export { type Made, makeAll, type Published, type PublishOptions, publicationsNamed, publishAll } from './publish.ts';
export type { PublishedColumn, PublishedTable } from './table.ts';
export type { Target, There } from './target.ts';
export { trinoTarget } from './trino.ts';
