// Settings of a session that would change answers, and which server a connection has reached.
import type { ClientBase } from 'pg';
import type { Dialect } from '../sql/dialect.ts';

/** A database or role may set these otherwise; each changes how values are read or written as text. */
const SETTINGS: Readonly<Record<string, string>> = {
  datestyle: "'ISO, YMD'",
  intervalstyle: "'postgres'",
  timezone: "'UTC'",
  extra_float_digits: '1',
  bytea_output: "'hex'",
  standard_conforming_strings: 'on',
  transform_null_equals: 'off',
};

/** Fixes the settings for the running transaction. */
export const FIX_SETTINGS = Object.entries(SETTINGS)
  .map(([name, value]) => `set local ${name} = ${value}`)
  .join('; ');

/** A text as a literal that means the same whether backslashes escape in plain literals or not. */
export const quoteText: Dialect['text'] = (value) => {
  const doubled = value.replaceAll("'", "''");
  return value.includes('\\') ? `E'${doubled.replaceAll('\\', '\\\\')}'` : `'${doubled}'`;
};

const known = new WeakMap<ClientBase, Promise<string>>();

const ask = async (client: ClientBase, sql: string): Promise<string> => {
  // Some of it may be closed to the role that connects.
  const { rows } = await client.query({ text: sql, rowMode: 'array' }).catch(() => ({ rows: [['']] }));
  return String(rows[0][0]);
};

/**
 * Which server and database a connection has reached: snapshots of another one, restored or failed over to the same address, are
 * numbered alike.
 */
export const identifyServer = (client: ClientBase): Promise<string> => {
  const found =
    known.get(client) ??
    (async () =>
      [
        await ask(client, 'select system_identifier::text from pg_control_system()'),
        await ask(client, 'select timeline_id::text from pg_control_checkpoint()'),
        await ask(client, 'select oid::text from pg_database where datname = current_database()'),
        await ask(client, 'select extract(epoch from pg_postmaster_start_time())::text'),
      ].join('/'))();
  known.set(client, found);
  return found;
};
