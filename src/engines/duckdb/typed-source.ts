// A file source read by DuckDB for an engine that keeps rows itself: the columns that the model uses as lists of numbers and texts, and
// the way back to what stands in the file.
import type { DuckDBConnection, DuckDBVector } from '@duckdb/node-api';
import { NO_DAY } from '../../calendar/day.ts';
import { DurchblickError } from '../../errors.ts';
import type { FileColumn } from '../../files/column.ts';
import type { PlainRows, TypedSource } from '../../files/files.ts';
import type { FolderFiles, FoundFile } from '../../files/folder.ts';
import { partitionsOf } from '../../files/partitions.ts';
import { SURE_DIGITS } from '../../model/decimal.ts';
import type { Model, Source } from '../../model/model.ts';
import { sourceChanged } from '../shared/states.ts';
import { columnNamed, freeName, type Relation, rawColumn, type SqlColumn } from '../sql/dialect.ts';
import { ROWS } from '../sql/fact.ts';
import { cellOf, fetched } from '../sql/sample.ts';
import { duckdbDialect } from './dialect.ts';
import { withDatabase } from './instance.ts';
import { type KeptCopies, keptCopies } from './kept-copy.ts';
import type { Shelf } from './kept-folder.ts';
import { parquetFiles } from './parquet-files.ts';
import { typedCsv, type Use, usesOf } from './typed-csv.ts';

type FileSource = Extract<Source, { kind: 'file' }>;

/** More values than this are not held as lists. */
const MOST_VALUES = 200_000_000;
/** So many rows are looked for by number; of more all are read. */
const FEW = 1000;

/** A source as DuckDB reads it; undefined where our reader must. */
const relationOf = async (
  connection: DuckDBConnection,
  source: FileSource,
  model: Model,
  found: readonly FoundFile[],
  kept: KeptCopies | undefined,
): Promise<Relation | undefined> => {
  const names = found.map(({ name }) => name);
  const all = (ending: RegExp): boolean => names.every((name) => ending.test(name));
  if (source.encoding !== undefined) return undefined;
  if (all(/\.parquet$/i)) return { name: source.file, ...(await parquetFiles(connection, found)) };
  if (!all(/\.csv(\.gz)?$/i) || partitionsOf(names) !== undefined) return undefined;
  return typedCsv({ connection, model, source, files: found, temporary: () => 'typed', kept });
};

/** A list that is filled from an answer, batch by batch. */
interface Filling {
  readonly sql: string;
  readonly column: FileColumn;
  readonly put: (vector: DuckDBVector, count: number, at: number) => void;
}

const [LEAST, GREATEST] = [NO_DAY + 1, 2 ** 31 - 1];

/** Whole numbers of 32 bits, blanks as the least of all. */
const integers = (sql: string, { name }: SqlColumn, kind: 'date' | 'integer', rows: number): Filling => {
  const values = new Int32Array(rows);
  return {
    sql,
    column: { name, kind, values },
    put: (vector, count, at) => {
      for (let k = 0; k < count; k++) values[at + k] = (vector.getItem(k) as number | null) ?? NO_DAY;
    },
  };
};

const doubles = (sql: string, { name }: SqlColumn, kind: 'double' | 'integer' | 'decimal', rows: number): Filling => {
  const values = new Float64Array(rows);
  return {
    sql,
    column: { name, kind, values },
    put: (vector, count, at) => {
      for (let k = 0; k < count; k++) values[at + k] = (vector.getItem(k) as number | null) ?? Number.NaN;
    },
  };
};

/** So many texts are looked for among those that were seen before: of columns with more of them few are seen again. */
const MOST_TEXTS = 65536;

/** Texts, each of them once however often it stands there. */
const texts = (sql: string, { name }: SqlColumn, rows: number): Filling => {
  const values = new Array<string | null>(rows);
  const known = new Map<string, string>();
  const once = (text: string): string => {
    const before = known.get(text);
    if (before !== undefined || known.size >= MOST_TEXTS) return before ?? text;
    known.set(text, text);
    return text;
  };
  return {
    sql,
    column: { name, kind: 'text', values },
    put: (vector, count, at) => {
      for (let k = 0; k < count; k++) {
        const text = vector.getItem(k) as string | null;
        values[at + k] = text === null ? null : once(text);
      }
    },
  };
};

/** Values of any other kind, as our readers make them. */
const others = (sql: string, column: SqlColumn, rows: number): Filling => {
  const values = new Array<unknown>(rows);
  return {
    sql,
    column: { name: column.name, kind: column.kind, values },
    put: (vector, count, at) => {
      for (let k = 0; k < count; k++) values[at + k] = cellOf(vector.getItem(k), column);
    },
  };
};

/** How a column is handed over: as numbers wherever they say all that our reader's values would. */
const fillingOf = (
  column: SqlColumn,
  uses: ReadonlySet<Use>,
  rows: number,
  range: readonly [least: number, greatest: number] | undefined,
): Filling => {
  const raw = rawColumn(duckdbDialect, ROWS, column);
  // Numbers may be keys that are read as dates, of which a blank is no number.
  const isDated = uses.has('date') || uses.has('version');
  switch (column.kind) {
    case 'date':
      return integers(duckdbDialect.dayNumber(raw), column, 'date', rows);
    case 'text':
      return texts(raw, column, rows);
    case 'double':
      return doubles(duckdbDialect.toDouble(raw), column, 'double', rows);
    case 'integer': {
      const [least, greatest] = range ?? [0, 0];
      if (least >= LEAST && greatest <= GREATEST) return integers(`${raw}::integer`, column, 'integer', rows);
      const isExact = Math.max(-least, greatest) < 10 ** SURE_DIGITS;
      if (isExact && !isDated) return doubles(duckdbDialect.toDouble(raw), column, 'integer', rows);
      break;
    }
    case 'decimal':
      if ((column.precision ?? 99) <= SURE_DIGITS && [...uses].every((use) => use === 'number' || use === 'presence'))
        return doubles(duckdbDialect.toDouble(raw), column, 'decimal', rows);
  }
  return others(fetched(duckdbDialect, ROWS, column), column, rows);
};

/** The lists that the model needs of a relation; undefined where there is not the room for them. */
const columnsIn = async (
  connection: DuckDBConnection,
  { from, columns }: Relation,
  uses: ReadonlyMap<string, ReadonlySet<Use>>,
): Promise<{ readonly rows: number; readonly read: ReadonlyMap<string, FileColumn> } | undefined> => {
  const used = columns.filter(({ name, kind }) => uses.has(name) && kind !== 'unusable');
  const whole = used.filter(({ kind }) => kind === 'integer');
  const ranges = whole.flatMap((column) => {
    const raw = rawColumn(duckdbDialect, ROWS, column);
    return [`min(${raw})::double`, `max(${raw})::double`];
  });
  const [[count, ...found]] = (
    await connection.runAndReadAll(`select ${['count(*)', ...ranges].join(', ')} from ${from} as ${ROWS}`)
  ).getRows();
  const rows = Number(count);
  if (rows * used.length > MOST_VALUES) return undefined;
  const rangeOf = (column: SqlColumn): readonly [number, number] | undefined => {
    const at = whole.indexOf(column);
    return at < 0 || found[2 * at] === null ? undefined : [Number(found[2 * at]), Number(found[2 * at + 1])];
  };
  const fillings = used.map((column) => fillingOf(column, uses.get(column.name) as ReadonlySet<Use>, rows, rangeOf(column)));
  const list = fillings.map(({ sql }, k) => `${sql} as c${k}`).join(', ');
  let at = 0;
  if (rows > 0 && fillings.length > 0) {
    const answer = await connection.stream(`select ${list} from ${from} as ${ROWS}`);
    for (;;) {
      const chunk = await answer.fetchChunk();
      if (!chunk || chunk.rowCount === 0) break;
      fillings.forEach(({ put }, k) => void put(chunk.getColumnVector(k), chunk.rowCount, at));
      at += chunk.rowCount;
    }
    if (at !== rows) return undefined;
  }
  return { rows, read: new Map(fillings.map(({ column }) => [column.name, column])) };
};

/** The rows of a source with their numbers, as they stand in it. */
const numbered = ({ from, columns, written }: Relation): NonNullable<Relation['written']> => {
  const row = freeName('file_row', { columns });
  return written ?? { row, from: `(select row_number() over () - 1 as ${row}, * from ${from})`, columns, copied: new Set() };
};

/** Some columns of all rows as they stand, or of some rows. */
const writtenIn =
  ({ row, from, columns }: NonNullable<Relation['written']>, folders: readonly string[]): TypedSource['written'] =>
  (names, some) =>
    withDatabase(folders, async (connection): Promise<PlainRows> => {
      const wanted = names.map((name) => columns.find((column) => column.name === name) as SqlColumn);
      const few = some !== undefined && some.length <= FEW ? `\nwhere ${ROWS}.${row} in (${['-1', ...some].join(', ')})` : '';
      const list = [`${ROWS}.${row}`, ...wanted.map((column) => fetched(duckdbDialect, ROWS, column))];
      const answer = await connection.runAndReadAll(
        `select ${list.map((sql, k) => `${sql} as c${k}`).join(', ')}\nfrom ${from} as ${ROWS}${few}\norder by 1`,
      );
      const found = answer.getRows().map(([at, ...values]) => {
        const cells = values.map((value, k) => [names[k], cellOf(value, wanted[k])] as const);
        return [Number(at), Object.fromEntries(cells)] as const;
      });
      if (some === undefined) return found.map(([, cells]) => cells);
      const byRow = new Map(found);
      return some.map((at) => byRow.get(at) ?? {});
    });

/** Texts are read in their file again: it must still be what it was. */
const unchanged =
  (rowsIn: TypedSource['written'], state: () => Promise<string>, opened: string): TypedSource['written'] =>
  async (...asked) => {
    const rows = await rowsIn(...asked).catch((error: Error) => error);
    const now = await state();
    if (now !== opened) throw sourceChanged('since it was read', opened, now);
    if (rows instanceof Error) throw rows;
    return rows;
  };

/** Reads a source; undefined where DuckDB reads it in another way than our readers, or nothing but facts would have to do with it. */
export const readTyped = async (
  source: FileSource,
  model: Model,
  files: FolderFiles,
  shelf: Shelf | undefined,
): Promise<TypedSource | undefined> => {
  const uses = usesOf(source.name, model);
  if (!uses || uses.size === 0) return undefined;
  const kept = shelf && keptCopies(shelf);
  const folders = [...(await files.roots()), ...(kept ? [kept.folder] : [])];
  const found = await files.find(source.file);
  const state = (): Promise<string> => files.state(source.file).catch((error: Error) => error.message);
  const opened = await state();
  const read = withDatabase(folders, async (connection): Promise<TypedSource | undefined> => {
    const relation = await relationOf(connection, source, model, found, kept);
    const values = relation && (await columnsIn(connection, relation, uses));
    if (!relation || !values) return undefined;
    const written = numbered(relation);
    const columns = relation.columns.map(({ name }) => {
      const { kind, holds } = columnNamed({ ...relation, ...written }, name) as SqlColumn;
      const typed = values.read.get(name);
      return { name, kind, ...(holds === undefined ? {} : { holds }), ...(typed ? { typed } : {}) };
    });
    return { rows: values.rows, columns, written: unchanged(writtenIn(written, folders), state, opened) };
  });
  // What DuckDB cannot read is read, or told, by ours.
  return read.catch((error: unknown) => {
    if (error instanceof DurchblickError) throw error;
    return undefined;
  });
};
