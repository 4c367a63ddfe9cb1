// Session settings that affect results, and the identity of the server.
import type { ClientBase } from 'pg';
import type { Dialect } from '../sql/dialect.ts';

/** Databases and roles can override these; each but the last changes how values are parsed or formatted. */
const SETTINGS: Readonly<Record<string, string>> = {
  datestyle: "'ISO, YMD'",
  intervalstyle: "'postgres'",
  timezone: "'UTC'",
  extra_float_digits: '1',
  bytea_output: "'hex'",
  standard_conforming_strings: 'on',
  transform_null_equals: 'off',
  // Compiling the long expressions of dates takes longer than running them.
  jit: 'off',
};

/**
 * Ends the running statement within a second if the client is gone, as after Ctrl-C. Servers before version 14 do not have the setting.
 */
export const WATCH_CLIENT = `select set_config(name, '1000', false) from pg_settings where name = 'client_connection_check_interval'`;

/** Applies the settings to the current transaction. */
export const FIX_SETTINGS = Object.entries(SETTINGS)
  .map(([name, value]) => `set local ${name} = ${value}`)
  .join('; ');

/** Quotes a text, independent of `standard_conforming_strings`. */
export const quoteText: Dialect['text'] = (value) => {
  const doubled = value.replaceAll("'", "''");
  return value.includes('\\') ? `E'${doubled.replaceAll('\\', '\\\\')}'` : `'${doubled}'`;
};

const known = new WeakMap<ClientBase, Promise<string>>();

const ask = async (client: ClientBase, sql: string): Promise<string> => {
  // The role may lack the right to call some of these functions.
  const { rows } = await client.query({ text: sql, rowMode: 'array' }).catch(() => ({ rows: [['']] }));
  return String(rows[0][0]);
};

/**
 * Identifies server, timeline, start and database. After a restore or failover, another server at the same address can return equal
 * snapshot numbers.
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
