// Rows of a database as they stand there: the first ones behind a number, and those of a source.
import { isLong } from '../../model/decimal.ts';
import type { Sample, SampleRequest } from '../../plan/request.ts';
import { shownCell } from '../shared/values.ts';
import type { Rows, Statement } from './database.ts';
import { type Dialect, orderOf, type Relation, rawColumn, type SqlColumn } from './dialect.ts';
import { ROWS, type SqlFact } from './fact.ts';
import { type SqlWorld, selectOf } from './select.ts';

/** A column as it is fetched: what JavaScript would hold with fewer digits comes as text. */
export const fetched = (dialect: Dialect, alias: string, column: SqlColumn): string => {
  const raw = rawColumn(dialect, alias, column);
  switch (column.kind) {
    case 'unusable':
      return dialect.text(`(${column.holds ?? 'unknown'})`);
    case 'double':
      return dialect.toDouble(raw);
    case 'decimal':
      return dialect.decimalText(raw);
    case 'text':
      return raw;
    default:
      return dialect.toText(raw);
  }
};

/** The value that was fetched, as every engine shows it. */
export const cellOf = (value: unknown, { kind }: SqlColumn): unknown => {
  if (value === null || value === undefined) return null;
  switch (kind) {
    case 'integer': {
      const text = String(value);
      return Number.isSafeInteger(Number(text)) ? Number(text) : BigInt(text);
    }
    case 'double':
      return Number(value);
    case 'decimal':
      return isLong(String(value)) ? String(value) : Number(value);
    case 'boolean':
      return String(value).startsWith('t');
    case 'timestamp':
    case 'instant':
      return pointText(String(value), kind);
    default:
      return String(value);
  }
};

const POINT = /^(\d{4,})-(\d\d)-(\d\d)[ T](\d\d):(\d\d):(\d\d)(?:\.(\d+))?\s*(Z|[+-]\d\d(?::?\d\d)?(?::?\d\d)?)?$/;

/** A timestamp as databases write it, as ISO 8601: without zeros at its end, an instant in UTC. */
export const pointText = (text: string, kind: 'timestamp' | 'instant'): string => {
  const parts = POINT.exec(text);
  if (!parts) return text;
  const [, year, month, day, hour, minute, second, fraction = '', zone] = parts;
  const decimals = fraction.replace(/0+$/, '');
  const end = decimals === '' ? '' : `.${decimals}`;
  if (kind === 'timestamp') return `${year}-${month}-${day}T${hour}:${minute}:${second}${end}`;
  const [hours = '0', minutes = '0'] = (zone ?? '').replace('Z', '').slice(1).replaceAll(':', '').match(/\d\d/g) ?? [];
  const offset = (zone?.startsWith('-') ? -1 : 1) * (Number(hours) * 60 + Number(minutes));
  const moved = new Date(Date.UTC(Number(year), Number(month) - 1, Number(day), Number(hour), Number(minute) - offset, Number(second)));
  return `${moved.toISOString().slice(0, 19)}${end}Z`;
};

type Fetch = (sql: string) => Promise<Rows>;

/** All rows of a relation, some of its columns; of typed copies the texts that they were made of. */
const plain = async (
  { from, columns: own, written }: Relation,
  names: readonly string[],
  dialect: Dialect,
  run: Fetch,
): Promise<readonly Record<string, unknown>[]> => {
  const columns = names.map((name) => (written?.columns ?? own).find((column) => column.name === name) as SqlColumn);
  const list = columns.map((column, k) => `${fetched(dialect, 't', column)} as c${k}`);
  if (list.length === 0) return [];
  const rows = written
    ? `${written.from} as t\nwhere t.${written.row} in (select ${written.row} from ${from} as seen)\norder by t.${written.row}`
    : `${from} as t`;
  const found = await run(`select ${list.join(', ')}\nfrom ${rows}`);
  return Array.from({ length: found.count }, (_, row) =>
    Object.fromEntries(names.map((name, k) => [name, cellOf(found.columns[k][row], columns[k])])),
  );
};

/** The first rows of a fact by a role's day (V1). */
const fact = async (
  request: SampleRequest,
  opened: SqlFact,
  world: SqlWorld,
  run: (statement: Statement) => Promise<Rows>,
): Promise<Sample> => {
  const { fact: of, role, filters, knownBy, first, last, openAt, limit } = request;
  const { columns, written } = opened.relation;
  const select = selectOf(opened, world, knownBy);
  const gone = openAt ? [`coalesce((${opened.day(openAt.until)}) > ${Math.min(openAt.day, openAt.asOf)}, true)`] : [];
  const conditions = [`(${opened.day(role)}) between ${first} and ${last}`, ...filters.map(select.condition), ...gone];
  const shown = written?.columns ?? columns;
  const list = shown.map((column, k) => `${fetched(world.dialect, ROWS, column)} as c${k}`);
  // Rows of one day in the order of their source, where it has one.
  const order = [opened.day(role), ...orderOf(opened.relation).map((name) => `${ROWS}.${name}`)];
  const from = `\nfrom ${select.from()}\nwhere ${conditions.join('\n  and ')}\norder by ${order.join(', ')}`;
  const found = await run({
    about: `the first rows of ${of.name} by ${role} day`,
    sql: written
      ? `select ${list.join(', ')}\nfrom (select ${ROWS}.${written.row} as n, row_number() over () as k from (select ${ROWS}.*${from}\nlimit ${limit}) as ${ROWS}) as s
  join ${written.from} as ${ROWS} on ${ROWS}.${written.row} = s.n\norder by s.k`
      : `select ${list.join(', ')}${from}\nlimit ${limit}`,
  });
  return {
    columns: shown.map(({ name }) => name),
    first: Array.from({ length: found.count }, (_, row) => found.columns.map((column, k) => shownCell(cellOf(column[row], shown[k])))),
  };
};

export const sampleOf = { plain, fact };
