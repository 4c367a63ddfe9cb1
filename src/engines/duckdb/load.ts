// Rows from elsewhere, loaded into tables of DuckDB with types that hold them as they are.
import type { DuckDBAppender, DuckDBConnection, DuckDBDateValue } from '@duckdb/node-api';
import { NO_DAY } from '../../calendar/day.ts';
import type { Table } from '../shared/table.ts';
import { isBlank } from '../shared/values.ts';
import type { SqlColumn } from '../sql/dialect.ts';
import { handedText, type Loading, loadingOf, physicalNames } from './columns.ts';
import { duckdbDialect } from './dialect.ts';

const { identifier } = duckdbDialect;

const put = (appender: DuckDBAppender, value: unknown, loading: Loading): void => {
  switch (loading.as) {
    case 'double':
      appender.appendDouble(Number(value));
      break;
    case 'integer':
      appender.appendBigInt(BigInt(value as number));
      break;
    case 'boolean':
      appender.appendBoolean(value as boolean);
      break;
    case 'date':
      // All that the appender takes of a date is its day number.
      appender.appendDate({ days: value } as unknown as DuckDBDateValue);
      break;
    default:
      appender.appendVarchar(handedText(value, loading));
  }
};

/** Loads a table into one of DuckDB and answers its columns. Columns that nothing can use are there for explanations only. */
export const loadTable = async (connection: DuckDBConnection, table: string, given: Table): Promise<SqlColumn[]> => {
  const names = given.columnNames;
  if (names.length === 0) {
    await connection.run(`create temp table ${identifier(table)} (nothing integer)`);
    return [];
  }
  const physical = physicalNames(names);
  const columns = names.map((name, k) => {
    const kind = given.kind(name);
    const values = kind === 'unusable' ? [] : given.column(name);
    return { name, as: physical[k], kind, values, loading: loadingOf(kind, values) };
  });
  const types = columns.map(({ as, loading }) => `${identifier(as)} ${loading.type}`);
  await connection.run(`create temp table ${identifier(table)} (${types.join(', ')})`);
  const appender = await connection.createAppender(table);
  for (let row = 0; row < given.rows; row++) {
    for (const { values, loading } of columns) {
      const value = values[row];
      if (isBlank(value) || (values instanceof Int32Array && value === NO_DAY)) appender.appendNull();
      else put(appender, value, loading);
    }
    appender.endRow();
  }
  appender.closeSync();
  return columns.map(({ name, as, kind, loading }) => ({
    name,
    as,
    ...(kind === 'unusable' ? { kind, holds: given.holds(name) } : { kind: loading.kind }),
  }));
};
