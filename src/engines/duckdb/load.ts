import type { DuckDBConnection } from '@duckdb/node-api';
import { isoOf, NO_DAY } from '../../calendar/day.ts';
import { type TableInput, tableOf } from '../memory/tables.ts';
import { duckdbDialect } from './dialect.ts';

const { identifier } = duckdbDialect;

/** The type a column of JavaScript values gets: the narrowest that holds all of them. */
type LoadType = 'double' | 'integer' | 'timestamptz' | 'boolean' | 'varchar';

const typeOf = (values: ArrayLike<unknown>): LoadType => {
  if (values instanceof Float64Array || values instanceof Float32Array) return 'double';
  if (ArrayBuffer.isView(values)) return 'integer';
  let found: LoadType | undefined;
  for (let i = 0; i < values.length; i++) {
    const value = values[i];
    if (value === null || value === undefined || value === '') continue;
    const type: LoadType =
      typeof value === 'number'
        ? Number.isInteger(value)
          ? 'integer'
          : 'double'
        : typeof value === 'bigint'
          ? 'integer'
          : typeof value === 'boolean'
            ? 'boolean'
            : value instanceof Date
              ? 'timestamptz'
              : 'varchar';
    if (found === undefined || found === type) found = type;
    else if ((found === 'integer' && type === 'double') || (found === 'double' && type === 'integer')) found = 'double';
    else return 'varchar';
  }
  return found ?? 'varchar';
};

const textOf = (value: unknown): string => (value instanceof Date ? value.toISOString() : String(value));

/**
 * Loads a table given by a program into a table of DuckDB, column by column. `dates` are columns in which an Int32Array
 * holds day numbers (D1); -2^31 is blank in an Int32Array, NaN in a Float64Array.
 */
export const loadTable = async (
  connection: DuckDBConnection,
  table: string,
  input: TableInput,
  name: string,
  dates: ReadonlySet<string> = new Set(),
): Promise<void> => {
  const given = tableOf(input, name);
  const columns = given.columnNames.map((column) => {
    const values = given.column(column);
    const days = values instanceof Int32Array && dates.has(column);
    return { column, values, days, type: days ? ('date' as const) : typeOf(values) };
  });
  const types = {
    double: 'double',
    integer: 'bigint',
    timestamptz: 'timestamptz',
    boolean: 'boolean',
    varchar: 'varchar',
    date: 'date',
  } as const;
  if (columns.length === 0) {
    await connection.run(`create temp table ${table} (empty integer)`);
    return;
  }
  await connection.run(
    `create temp table ${table} (${columns.map(({ column, type }) => `${identifier(column)} ${types[type]}`).join(', ')})`,
  );
  const appender = await connection.createAppender(table.replaceAll('"', ''));
  for (let row = 0; row < given.rows; row++) {
    for (const { values, type } of columns) {
      const value = values[row];
      if (value === null || value === undefined || value === '' || value !== value || (values instanceof Int32Array && value === NO_DAY))
        appender.appendNull();
      else if (type === 'double') appender.appendDouble(Number(value));
      else if (type === 'integer') appender.appendBigInt(BigInt(value as number));
      else if (type === 'boolean') appender.appendBoolean(value as boolean);
      else if (type === 'date') appender.appendVarchar(isoOf(value as number));
      else appender.appendVarchar(textOf(value));
    }
    appender.endRow();
  }
  appender.closeSync();
};
