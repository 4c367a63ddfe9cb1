// Publications that are tables of PostgreSQL.
import type { Client } from 'pg';
import { isoOf } from '../calendar/day.ts';
import { fault, noConnection } from '../engines/postgres/faults.ts';
import { loadPg } from '../engines/postgres/load.ts';
import { FIX_SETTINGS, quoteText } from '../engines/postgres/settings.ts';
import { DurchblickError } from '../errors.ts';
import type { Publication } from '../model/model.ts';
import type { PublishedColumn, PublishedTable } from './table.ts';
import { quotedName, sqlName, type Target, targetText, thereBy } from './target.ts';

const TYPES: Readonly<Record<PublishedColumn['type'], string>> = {
  date: 'date',
  integer: 'integer',
  long: 'bigint',
  boolean: 'boolean',
  text: 'text',
  decimal: 'numeric',
  number: 'double precision',
};

/** Longer names are cut by PostgreSQL, in silence. */
const MOST_BYTES = 63;

type TablePlace = Extract<Publication['to'], { kind: 'table' }>;

interface Described {
  readonly comment: string | null;
  /** Names and types of its columns, in order. */
  readonly columns: string;
}

const written = ({ columns }: PublishedTable): string => columns.map(({ name, type }) => `${name} ${TYPES[type]}`).join('\n');

const checkNames = ({ columns }: PublishedTable): void => {
  const long = columns.find(({ name }) => Buffer.byteLength(name) > MOST_BYTES);
  if (long)
    throw new DurchblickError('long-name', `"${long.name}" is too long for the name of a column`, {
      hint: `PostgreSQL takes ${MOST_BYTES} bytes: give the reading a label in the question: { is: …, label: … }.`,
    });
};

const parameterOf = (type: PublishedColumn['type'], value: PublishedColumn['values'][number]): string | null => {
  if (value === null) return null;
  return type === 'date' ? isoOf(value as number) : String(value);
};

/** So many rows go in one statement. */
const BATCH = 10_000;

const describe = async (client: Client, to: TablePlace): Promise<Described | undefined> => {
  const { rows } = await client.query(
    `select obj_description(c.oid, 'pg_class') as comment, c.relkind as kind,
       (select string_agg(a.attname || ' ' || format_type(a.atttypid, a.atttypmod), e'\\n' order by a.attnum)
        from pg_attribute a where a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped) as columns
     from pg_class c where c.oid = to_regclass($1)`,
    [sqlName(to)],
  );
  const [found] = rows as { comment: string | null; kind: string; columns: string | null }[];
  if (!found) return undefined;
  // What is no plain table was made by somebody else.
  return { comment: found.kind === 'r' ? found.comment : null, columns: found.columns ?? '' };
};

const insert = async (client: Client, to: TablePlace, { rows, columns }: PublishedTable): Promise<void> => {
  const lists = columns.map(({ type }, k) => `$${k + 1}::${TYPES[type]}[]`).join(', ');
  for (let start = 0; start < rows; start += BATCH)
    await client.query(
      `insert into ${sqlName(to)} select * from unnest(${lists})`,
      columns.map(({ type, values }) => values.slice(start, start + BATCH).map((value) => parameterOf(type, value))),
    );
};

const create = async (client: Client, to: TablePlace, { columns }: PublishedTable, before: Described | undefined): Promise<void> => {
  const name = sqlName(to);
  if (before) await client.query(`drop table ${name}`);
  if (to.schema !== undefined) {
    const { rows } = await client.query('select to_regnamespace($1) is null as missing', [quotedName(to.schema)]);
    if (rows[0].missing) await client.query(`create schema ${quotedName(to.schema)}`);
  }
  await client.query(`create table ${name} (${columns.map((column) => `${quotedName(column.name)} ${TYPES[column.type]}`).join(', ')})`);
};

const describeAll = async (client: Client, to: TablePlace, { columns, comment }: PublishedTable): Promise<void> => {
  await client.query(`comment on table ${sqlName(to)} is ${quoteText(comment)}`);
  for (const column of columns)
    await client.query(`comment on column ${sqlName(to)}.${quotedName(column.name)} is ${quoteText(column.comment)}`);
};

/** What PostgreSQL says that somebody can do something about. */
const told = (error: unknown, to: TablePlace): DurchblickError => {
  const { code = '', message } = error as { code?: string; message: string };
  if (code === '2BP01')
    return new DurchblickError('table-in-use', `${targetText(to)} has other columns now, and something is made of it: ${message}`, {
      kind: 'engine',
      hint: 'Drop the view that reads it, publish, and make the view again.',
    });
  if (code === '42501')
    return new DurchblickError('not-allowed', `${targetText(to)} cannot be written: ${message}`, {
      kind: 'engine',
      hint: 'The role that connects needs the right to create tables in the schema, and owns those that it publishes.',
    });
  return fault(error, `publishing ${targetText(to)}`, undefined, undefined);
};

/**
 * Tables of PostgreSQL. Rows are replaced in one transaction, so that rights and views stay; where columns have changed, the
 * table is made anew in it. A table that was not published is left alone.
 */
export const postgresTarget = async (connectionString: string): Promise<Target> => {
  const pg = await loadPg();
  const client = new pg.Client({ connectionString, application_name: 'durchblick publish' });
  client.on('error', () => undefined);
  await client.connect().catch((error: unknown) => {
    throw noConnection(error, 1, 0);
  });
  const place = (to: Publication['to']): TablePlace => to as TablePlace;
  return {
    look: async (to, table) => {
      checkNames(table);
      const found = await describe(client, place(to)).catch((error: unknown) => {
        throw told(error, place(to));
      });
      const there = thereBy(found?.comment, table);
      return there === 'same' && found?.columns !== written(table) ? 'older' : there;
    },
    write: async (to, table) => {
      const at = place(to);
      try {
        await client.query(`begin; ${FIX_SETTINGS}`);
        // Two that publish to one table take turns.
        await client.query('select pg_advisory_xact_lock(hashtext($1))', [`durchblick ${sqlName(at)}`]);
        const before = await describe(client, at);
        if (before?.columns === written(table)) await client.query(`delete from ${sqlName(at)}`);
        else await create(client, at, table, before);
        await insert(client, at, table);
        await describeAll(client, at, table);
        await client.query('commit');
      } catch (error) {
        await client.query('rollback').catch(() => undefined);
        throw told(error, at);
      }
    },
    close: () => client.end().catch(() => undefined),
  };
};
