// The package that DuckDB comes in, and what every instance of ours is held to.
import { createRequire } from 'node:module';
import { DurchblickError } from '../../errors.ts';

export const loadDuckDb = async (): Promise<typeof import('@duckdb/node-api')> => {
  try {
    // Asked for as what it is: looking through its files for names to import takes a tenth of a second.
    return createRequire(import.meta.url)('@duckdb/node-api');
  } catch (error) {
    throw new DurchblickError('no-package', 'the duckdb engine needs @duckdb/node-api', {
      kind: 'engine',
      hint: `Install it: npm install @duckdb/node-api. (${(error as Error).message.split('\n')[0]})`,
    });
  }
};

/** Nothing is fetched from anywhere, and no program of somebody else is loaded. */
export const CLOSED = { autoinstall_known_extensions: 'false', autoload_known_extensions: 'false', allow_community_extensions: 'false' };
