// The engine on tables in memory.
import type { Files } from '../../files/files.ts';
import type { Engine } from '../engine.ts';
import { changing, sourceStates } from '../shared/states.ts';
import type { TableInput } from '../shared/tables.ts';
import { openStore } from './store.ts';

export type { Files } from '../../files/files.ts';
export { urlFiles } from '../../files/files.ts';
export type { ArrowTable, TableInput } from '../shared/tables.ts';

export interface MemoryOptions {
  /** Opens the model's file sources: `folderFiles` in Node.js, `urlFiles` in browsers, or any function of a path. */
  readonly files?: Files;
}

/**
 * The engine that keeps rows in typed arrays. `tables` has for each source of the model an array of objects, an
 * object of equally long columns, or an Apache Arrow table; sources that are files are read through `files`.
 * In an `Int32Array` of dates values are day numbers (D1) and -2^31 is blank; in a `Float64Array` NaN is.
 */
export const memory = (tables: Readonly<Record<string, TableInput>> = {}, { files }: MemoryOptions = {}): Engine => ({
  name: 'memory',
  open: (model, options) => changing(sourceStates(model, files, Object.keys(tables)), () => openStore(model, tables, files, options)),
});
