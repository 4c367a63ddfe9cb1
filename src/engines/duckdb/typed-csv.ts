// CSV files read once, typed: dates as days, numbers as numbers, of the columns alone that the model uses. DuckDB's reader makes the
// types while a look at the bytes makes sure that they mean what our rules say; where it does not, texts are read as before.
import type { DuckDBConnection } from '@duckdb/node-api';
import { type CsvStart, csvHead, csvStart } from '../../files/csv.ts';
import { type FieldForm, lookAtPlainCsv, type PlainCsv } from '../../files/csv-look.ts';
import type { FoundFile } from '../../files/folder.ts';
import { usedColumns } from '../../model/columns.ts';
import type { Model, Source } from '../../model/model.ts';
import { freeName, type Relation, type SqlColumn } from '../sql/dialect.ts';
import { physicalNames } from './columns.ts';
import { csvGlances, csvPieces, readCsvSql } from './csv-files.ts';
import { duckdbDialect } from './dialect.ts';
import type { Found, KeptCopies, KeptPlace } from './kept-copy.ts';

const { identifier, text } = duckdbDialect;

export type Use = ReturnType<typeof usedColumns>[number]['use'];

/** What facts use the columns of a source for; undefined where something else reads it too, which reads its texts. */
export const usesOf = (source: string, model: Model): ReadonlyMap<string, ReadonlySet<Use>> | undefined => {
  const { yearSystems = {}, periods = {}, workingDays } = model.input.calendar ?? {};
  const tables = [...Object.values(yearSystems), ...Object.values(periods)].map(({ table }) => table);
  const { holidays } = workingDays ?? {};
  if (typeof holidays === 'object' && 'table' in holidays) tables.push(holidays.table);
  const others = [...model.dimensions.values(), ...model.rates.values()].map((own) => own.source);
  if (tables.includes(source) || others.includes(source)) return undefined;
  const uses = new Map<string, Set<Use>>();
  for (const fact of model.facts.values()) {
    if (fact.source !== source) continue;
    for (const { column, use } of usedColumns(fact, model))
      if (!fact.columns.has(column)) uses.set(column, (uses.get(column) ?? new Set()).add(use));
  }
  return uses;
};

/** Roles whose dates have a format of their own are read by it. */
const withFormat = (source: string, model: Model): ReadonlySet<string> =>
  new Set(
    [...model.facts.values()].flatMap((fact) =>
      fact.source === source ? [...fact.roles.values()].flatMap(({ column, format }) => (format === undefined ? [] : [column])) : [],
    ),
  );

const [DAY, WHOLE, DECIMAL] = [/^\d{4}-\d\d-\d\d$/, /^-?(0|[1-9]\d{0,14})$/, /^-?\d{1,15}(\.\d{1,6})?$/];
const LOOKED = 500;

/** The form that a column's fields seem to have, and may be read by for all that it is used for. */
const formOf = (
  uses: ReadonlySet<Use> | undefined,
  hasFormat: boolean,
  numbers: Source['numbers'],
  texts: readonly string[],
): FieldForm => {
  const given = texts.filter((text) => text !== '');
  if (!uses || given.length === 0) return 'any';
  const all = (pattern: RegExp): boolean => given.every((text) => pattern.test(text));
  const only = (...names: readonly Use[]): boolean => [...uses].every((use) => names.includes(use));
  if (only('date')) return !hasFormat && all(DAY) ? 'day' : 'any';
  if (numbers !== 'plain' && uses.has('number')) return 'any';
  if (only('number', 'link', 'key', 'presence') && all(WHOLE)) return 'whole';
  return only('number', 'presence') && all(DECIMAL) ? 'decimal' : 'any';
};

const decimalsIn = (texts: readonly string[]): number => Math.max(0, ...texts.map((text) => text.split('.')[1]?.length ?? 0));

/** How a column is read: its form, and for decimals how many are written and how many are needed. */
interface Reading {
  readonly form: FieldForm;
  readonly scale: number;
  readonly needed?: number;
}

const typeOf = ({ form, scale }: Reading): string =>
  form === 'day' ? 'date' : form === 'whole' ? 'bigint' : form === 'decimal' ? `decimal(15, ${scale})` : 'varchar';

const columnOf = (name: string, as: string, { form, scale, needed }: Reading): SqlColumn => {
  if (form === 'day') return { name, as, kind: 'date' };
  if (form === 'whole') return { name, as, kind: 'integer', precision: 15 };
  if (form === 'decimal') return { name, as, kind: 'decimal', precision: 15, scale, ...(needed === undefined ? {} : { needed }) };
  return { name, as, kind: 'text' };
};

/** What typing a source is done with. */
export interface TypedCsv {
  readonly connection: DuckDBConnection;
  readonly model: Model;
  readonly source: Extract<Source, { kind: 'file' }>;
  readonly files: readonly FoundFile[];
  readonly temporary: () => string;
  /** Where copies are kept, if they are. */
  readonly kept: KeptCopies | undefined;
}

/** Files that are plain and have one header, and how their fields are written; undefined where one of them is not plain. */
const lookAtAll = async (
  files: readonly FoundFile[],
  formsOf: Parameters<typeof lookAtPlainCsv>[1],
): Promise<readonly PlainCsv[] | undefined> => {
  const looks: PlainCsv[] = [];
  for (const file of files) {
    const look = await lookAtPlainCsv(csvGlances(file), formsOf);
    const [first = look] = looks;
    if (!look || !first || look.separator !== first.separator || look.ends !== first.ends) return undefined;
    if (look.header.join('\u0000') !== first.header.join('\u0000')) return undefined;
    looks.push(look);
  }
  return looks;
};

/** How each column is read, guessed from the first records of the first file. */
const guess = ({ model, source }: TypedCsv, uses: ReadonlyMap<string, ReadonlySet<Use>>) => {
  const formats = withFormat(source.name, model);
  return (header: readonly string[], head: Uint8Array, separator: PlainCsv['separator']): readonly Reading[] => {
    const rows = csvHead(head, separator, LOOKED);
    return header.map((name, k) => {
      const texts = rows.map((row) => row[k] ?? '');
      return { form: formOf(uses.get(name), formats.has(name), source.numbers, texts), scale: decimalsIn(texts) };
    });
  };
};

/** The first bytes of a file. */
const headOf = async (file: FoundFile): Promise<Uint8Array | undefined> => {
  for await (const piece of csvPieces(file)) return piece;
  return undefined;
};

/** What a table is made of: how the file's columns are called and read, and which of them are wanted. */
interface Making {
  readonly table: string;
  readonly physical: readonly string[];
  readonly wanted: readonly number[];
  readonly reader: (readings: readonly Reading[]) => string;
}

const make = async (
  { connection }: TypedCsv,
  { table, physical, wanted, reader }: Making,
  readings: readonly Reading[],
): Promise<boolean> => {
  const list = wanted.map((k) => identifier(physical[k])).join(', ');
  await connection.run(`drop table if exists ${table}`);
  return connection.run(`create temp table ${table} as select ${list} from ${reader(readings)}`).then(
    () => true,
    () => false,
  );
};

/** Makes the table; answers how its columns were read in the end, or undefined where texts must be read instead. */
const madeTyped = async (
  typed: TypedCsv,
  making: Making,
  start: CsvStart,
  guessed: readonly Reading[],
): Promise<readonly Reading[] | undefined> => {
  const { header, separator } = start;
  // The look goes on beside the reading: one in JavaScript, the other on threads of its own.
  const [made, looks] = await Promise.all([make(typed, making, guessed), lookAtAll(typed.files, () => guessed.map(({ form }) => form))]);
  if (!looks || looks[0].separator !== separator || looks[0].header.join('\u0000') !== header.join('\u0000')) return undefined;
  const corrected = guessed.map(({ form, scale }, k): Reading => {
    const isOther = looks.some(({ fields }) => fields[k].isOther);
    const decimals = Math.max(...looks.map(({ fields }) => fields[k].decimals));
    const needed = Math.max(...looks.map(({ fields }) => fields[k].needed));
    return { form: isOther ? 'any' : form, scale: Math.max(scale, decimals), needed };
  });
  // A day that there is not, the 31st of June, is told by the reader of texts.
  const readings = made ? corrected : corrected.map((own) => (own.form === 'day' ? { ...own, form: 'any' as const } : own));
  const isDone = made && readings.every((own, k) => typeOf(own) === typeOf(guessed[k]));
  if (!isDone && !(await make(typed, making, readings))) return undefined;
  const records = looks.reduce((sum, look) => sum + look.records, 0);
  const count = (await typed.connection.runAndReadAll(`select count(*) from ${making.table}`)).getRows()[0][0];
  return Number(count) === records ? readings : undefined;
};

/** A relation of typed rows, and of the texts that they were made of. */
const relationOf = (
  { source, files }: TypedCsv,
  { header, separator, ends }: Pick<CsvStart, 'header' | 'separator' | 'ends'>,
  readings: readonly Reading[],
  uses: ReadonlyMap<string, ReadonlySet<Use>>,
  rowsIn: (row: string) => string,
): Relation => {
  const physical = physicalNames(header);
  const texts: readonly Reading[] = header.map(() => ({ form: 'any', scale: 0 }));
  const columns = header.map((name, k) => columnOf(name, physical[k], readings[k]));
  const row = freeName('file_row', { columns });
  const isRead = (name: string): boolean => [...(uses.get(name) ?? [])].some((use) => use === 'date' || use === 'number');
  const read = readCsvSql(files, { separator, ends, columns: physical.map((as) => [as, 'varchar'] as const) });
  return {
    name: source.file,
    from: rowsIn(row),
    columns,
    ...(header.some((name, k) => isRead(name) && readings[k].form === 'any') ? { texts: true as const } : {}),
    written: {
      row,
      from: `(select row_number() over () - 1 as ${row}, * from ${read})`,
      columns: header.map((name, k) => columnOf(name, physical[k], texts[k])),
      copied: new Set(uses.keys()),
    },
  };
};

/** What is noted with a kept copy. */
interface About extends Pick<CsvStart, 'header' | 'separator' | 'ends'> {
  readonly readings: readonly Reading[];
}

/** Rows of a kept copy, numbered as in their file. */
const keptRows =
  (path: string) =>
  (row: string): string =>
    `(select file_row_number as ${row}, * exclude (file_row_number) from read_parquet(${text(path)}, file_row_number = true))`;

/**
 * A CSV source as a table of typed columns, with the way back to its texts; undefined where it is not plain, or DuckDB reads it in
 * another way: then texts are read, and what is wrong with them is told. What was typed before is read from its kept copy.
 */
export const typedCsv = async (typed: TypedCsv): Promise<Relation | undefined> => {
  const { connection, model, source, files, temporary, kept } = typed;
  const uses = usesOf(source.name, model);
  if (!uses || uses.size === 0) return undefined;
  const wants = [...uses].map(([name, own]) => [name, [...own].sort()]).sort();
  const place = await kept?.place(source.file, files, [wants, [...withFormat(source.name, model)].sort(), source.numbers]);
  const before = await place?.copy();
  if (place && before) {
    const { readings, ...start } = before.about as About;
    return { ...relationOf(typed, start, readings, uses, keptRows(before.path)), found: place.found };
  }
  const head = await headOf(files[0]);
  const start = head && csvStart(head);
  if (!start || new Set(start.header).size !== start.header.length) return undefined;
  const { header, separator, ends } = start;
  if ([...uses.keys()].some((name) => !header.includes(name))) return undefined;
  const physical = physicalNames(header);
  const making: Making = {
    table: identifier(temporary()),
    physical,
    wanted: header.flatMap((name, k) => (uses.has(name) ? [k] : [])),
    reader: (own) => readCsvSql(files, { separator, ends, columns: physical.map((as, k) => [as, typeOf(own[k])] as const) }),
  };
  const readings = await madeTyped(typed, making, start, guess(typed, uses)(header, head, separator));
  if (!readings) {
    await connection.run(`drop table if exists ${making.table}`);
    return undefined;
  }
  const about: About = { header, separator, ends, readings };
  const made = await place?.make(about, async (path) => {
    // The second version of the format is a quarter smaller, and read faster.
    await connection.run(`copy ${making.table} to ${text(path)} (format parquet, parquet_version v2)`);
  });
  const relation = relationOf(typed, start, readings, uses, (row) => `(select rowid as ${row}, * from ${making.table})`);
  // What is found out now is found out about the copy too.
  return made && place ? { ...relation, found: foundFor(place, making.table, made.path) } : relation;
};

/** What is found out about a table, as found out about the copy that was made of it. */
const foundFor = ({ found }: KeptPlace, table: string, path: string): Found => {
  const asKept = (sql: string): string => {
    const at = (row: string): string => `(select rowid as ${row}, * from ${table})`;
    const row = /\(select rowid as (file_row_*), \* from /.exec(sql)?.[1] ?? 'file_row';
    return sql.replaceAll(at(row), keptRows(path)(row));
  };
  return { recall: (sql) => found.recall(asKept(sql)), remember: (sql, values) => found.remember(asKept(sql), values) };
};
