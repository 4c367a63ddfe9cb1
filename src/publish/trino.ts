// Publications that are tables of a cluster.
import { isoOf } from '../calendar/day.ts';
import { type Connection, type StatementAnswer, StatementFault, statement } from '../engines/trino/client.ts';
import { DurchblickError } from '../errors.ts';
import type { Publication } from '../model/model.ts';
import type { PublishedColumn, PublishedTable } from './table.ts';
import { quotedName, sqlName, sqlText, type Target, targetText, thereBy } from './target.ts';

type TablePlace = Extract<Publication['to'], { kind: 'table' }>;
type Value = PublishedColumn['values'][number];

const TYPES: Readonly<Record<PublishedColumn['type'], { readonly name: string; readonly written: (value: Value) => string }>> = {
  date: { name: 'date', written: (value) => `date '${isoOf(value as number)}'` },
  integer: { name: 'integer', written: String },
  long: { name: 'bigint', written: (value) => `bigint '${value}'` },
  boolean: { name: 'boolean', written: String },
  text: { name: 'varchar', written: (value) => sqlText(String(value)) },
  decimal: { name: 'decimal(22,6)', written: (value) => `cast('${value}' as decimal(22,6))` },
  number: { name: 'double', written: (value) => `double '${value}'` },
};

/** Statements hold a million characters; rows beyond go in more of them. */
const MOST_CHARACTERS = 500_000;

const failed = (error: unknown, to: TablePlace): DurchblickError =>
  error instanceof StatementFault
    ? new DurchblickError(
        error.errorName === 'PERMISSION_DENIED' ? 'not-allowed' : 'engine-failed',
        `${targetText(to)} cannot be written: ${error.message}`,
        { kind: 'engine', cause: error, hint: 'Its catalog must let tables be replaced (Iceberg does), and the user must be allowed to.' },
      )
    : (error as DurchblickError);

const rowsOf = ({ rows, columns }: PublishedTable): string[] =>
  Array.from({ length: rows }, (_, row) => {
    const cells = columns.map(({ type, values }) =>
      values[row] === null ? `cast(null as ${TYPES[type].name})` : TYPES[type].written(values[row]),
    );
    return `(${cells.join(', ')})`;
  });

/** Rows in as few lists as statements can hold. */
const batchesOf = (lines: readonly string[]): string[][] => {
  const batches: string[][] = [[]];
  let size = 0;
  for (const line of lines) {
    if (size + line.length > MOST_CHARACTERS) {
      batches.push([]);
      size = 0;
    }
    batches[batches.length - 1].push(line);
    size += line.length + 2;
  }
  return batches;
};

/** The rows as a relation; without any, one that is left out again, so that columns keep their types. */
const selectOf = ({ columns }: PublishedTable, lines: readonly string[]): string => {
  const none = `(${columns.map(({ type }) => `cast(null as ${TYPES[type].name})`).join(', ')})`;
  const values = lines.length > 0 ? lines.join(',\n') : none;
  return `select * from (values ${values}) as given (${columns.map(({ name }) => quotedName(name)).join(', ')})${lines.length > 0 ? '' : ' where false'}`;
};

/**
 * Tables of a cluster, each replaced by one statement: readers see the one before or this one. Rows beyond what a statement holds
 * are laid aside first. A table that was not published is left alone.
 */
export const trinoTarget = (connection: Connection): Target => {
  const run = (sql: string): Promise<StatementAnswer> => statement(connection, sql, undefined);
  const commentOf = async ({ schema = connection.schema, table }: TablePlace): Promise<string | null | undefined> => {
    const { rows } = await run(
      `select comment from system.metadata.table_comments where catalog_name = ${sqlText(connection.catalog)}
      and schema_name = ${sqlText(schema.toLowerCase())} and table_name = ${sqlText(table.toLowerCase())}`,
    );
    return rows.length === 0 ? undefined : (rows[0][0] as string | null);
  };
  const replace = async (to: TablePlace, table: PublishedTable): Promise<void> => {
    const name = sqlName(to);
    if (to.schema !== undefined) await run(`create schema if not exists ${quotedName(to.schema)}`);
    const comment = sqlText(table.comment);
    const [first, ...more] = batchesOf(rowsOf(table));
    if (more.length === 0) await run(`create or replace table ${name} comment ${comment} as ${selectOf(table, first)}`);
    else {
      const aside = sqlName({ ...to, table: `${to.table}_${table.print}` });
      await run(`create or replace table ${aside} as ${selectOf(table, first)}`);
      for (const batch of more) await run(`insert into ${aside} ${selectOf(table, batch)}`);
      await run(`create or replace table ${name} comment ${comment} as select * from ${aside}`);
      await run(`drop table ${aside}`);
    }
    for (const column of table.columns) await run(`comment on column ${name}.${quotedName(column.name)} is ${sqlText(column.comment)}`);
  };
  return {
    look: async (to, table) => {
      const comment = await commentOf(to as TablePlace).catch((error: unknown) => {
        throw failed(error, to as TablePlace);
      });
      return thereBy(comment, table);
    },
    write: (to, table) =>
      replace(to as TablePlace, table).catch((error: unknown) => {
        throw failed(error, to as TablePlace);
      }),
    close: async () => undefined,
  };
};
