// The package that DuckDB comes in, and what every instance of ours is held to.
import { createRequire } from 'node:module';
import type { DuckDBConnection } from '@duckdb/node-api';
import { DurchblickError } from '../../errors.ts';
import { DUCKDB_SETTINGS, duckdbDialect } from './dialect.ts';

const requireHere = createRequire(import.meta.url);

/** Whether the package is installed. */
export const hasDuckDb = (): boolean => {
  try {
    requireHere.resolve('@duckdb/node-api');
    return true;
  } catch {
    return false;
  }
};

export const loadDuckDb = async (): Promise<typeof import('@duckdb/node-api')> => {
  try {
    // Asked for as what it is: looking through its files for names to import takes a tenth of a second.
    return requireHere('@duckdb/node-api');
  } catch (error) {
    throw new DurchblickError('no-package', 'the duckdb engine needs @duckdb/node-api', {
      kind: 'engine',
      hint: `Install it: npm install @duckdb/node-api. (${(error as Error).message.split('\n')[0]})`,
    });
  }
};

/** Nothing is fetched from anywhere, and no program of somebody else is loaded. */
export const CLOSED = { autoinstall_known_extensions: 'false', autoload_known_extensions: 'false', allow_community_extensions: 'false' };

/** After this DuckDB reads nothing but the model's folders, and no statement can change that. */
export const lock = async (connection: DuckDBConnection, folders: readonly string[]): Promise<void> => {
  await connection.run(`set allowed_directories = [${folders.map(duckdbDialect.text).join(', ')}]`);
  await connection.run('set enable_external_access = false');
  await connection.run('set lock_configuration = true');
};

/** Something done with a database of its own, which reads nothing but some folders and is gone afterwards. */
export const withDatabase = async <T>(folders: readonly string[], run: (connection: DuckDBConnection) => Promise<T>): Promise<T> => {
  const { DuckDBInstance } = await loadDuckDb();
  const instance = await DuckDBInstance.create(':memory:', CLOSED);
  const connection = await instance.connect();
  try {
    await connection.run(DUCKDB_SETTINGS);
    await lock(connection, folders);
    return await run(connection);
  } finally {
    connection.closeSync();
    instance.closeSync();
  }
};
