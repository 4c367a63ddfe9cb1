import { NO_DAY } from '../calendar/day.ts';
import { DurchblickError } from '../errors.ts';
import type { WrittenColumn } from '../kernels/columnar.ts';

/** What is used of an Apache Arrow table; any version's will do. */
export interface ArrowTable {
  readonly numRows: number;
  readonly schema: { readonly fields: readonly { readonly name: string; readonly type: unknown }[] };
  readonly getChild: (name: string) => ArrowVector | null;
}

export interface ArrowVector {
  readonly toArray: () => ArrayLike<unknown>;
  readonly nullCount: number;
  readonly get: (i: number) => unknown;
}

/** Numbers of Arrow's types in its format, which every version keeps. */
const DECIMAL = 7;
const DATE = 8;
const TIMESTAMP = 10;
const DAY_MS = 86_400_000;

/** A decimal of 128 bits from its words, the least first. */
const decimalOf = (words: ArrayLike<number>, scale: number): number => {
  let whole = 0n;
  for (let k = words.length - 1; k >= 0; k--) whole = (whole << 32n) | BigInt(words[k] >>> 0);
  const bits = BigInt(words.length * 32);
  if (whole >> (bits - 1n)) whole -= 1n << bits;
  return Number(whole) / 10 ** scale;
};

/** A column of an Arrow table: dates as day numbers, instants as Date, timestamps without a zone as texts, decimals as numbers. */
export const arrowColumn = (table: ArrowTable, name: string): ArrayLike<unknown> | undefined => {
  const vector = table.getChild(name);
  if (!vector) return undefined;
  const type = table.schema.fields.find((field) => field.name === name)?.type as {
    readonly typeId?: number;
    readonly timezone?: string | null;
    readonly scale?: number;
  };
  const rows = table.numRows;
  const blank = (value: unknown): boolean => value === null || value === undefined;
  if (type?.typeId === DATE)
    return Int32Array.from({ length: rows }, (_, i) => {
      const value = vector.get(i);
      return blank(value) ? NO_DAY : Math.floor(Number(value) / DAY_MS);
    });
  if (type?.typeId === TIMESTAMP)
    return Array.from({ length: rows }, (_, i) => {
      const value = vector.get(i);
      if (blank(value)) return null;
      const instant = new Date(Number(value));
      return type.timezone ? instant : instant.toISOString().slice(0, -1);
    });
  if (type?.typeId === DECIMAL)
    return Array.from({ length: rows }, (_, i) => {
      const value = vector.get(i);
      return blank(value) ? null : decimalOf(value as ArrayLike<number>, type.scale ?? 0);
    });
  return vector.nullCount > 0 ? Array.from({ length: rows }, (_, i) => vector.get(i)) : vector.toArray();
};

const loadArrow = (what: string): Promise<typeof import('apache-arrow')> =>
  import('apache-arrow').catch((error: Error) => {
    throw new DurchblickError('no-package', `${what} needs apache-arrow`, {
      kind: 'engine',
      hint: `Install it: npm install apache-arrow. (${error.message.split('\n')[0]})`,
    });
  });

/** Reads an Arrow file or stream. */
export const readArrow = async (bytes: Uint8Array, name: string): Promise<ArrowTable> => {
  const arrow = await loadArrow(name);
  try {
    return arrow.tableFromIPC(bytes) as unknown as ArrowTable;
  } catch (error) {
    throw new DurchblickError('bad-file', `${name} is no Arrow file: ${(error as Error).message}`, { kind: 'data' });
  }
};

/** Columns as an Arrow table. */
export const arrowTable = async (columns: readonly WrittenColumn[]): Promise<ArrowTable> => {
  const arrow = await loadArrow('an Arrow table');
  const vector = ({ type, values }: WrittenColumn) => {
    switch (type) {
      case 'date':
        return arrow.vectorFromArray(
          values.map((day) => (day === null ? null : (day as number) * DAY_MS)),
          new arrow.DateDay(),
        );
      case 'integer':
        return arrow.vectorFromArray(values as (number | null)[], new arrow.Int32());
      case 'number':
        return arrow.vectorFromArray(values as (number | null)[], new arrow.Float64());
      case 'boolean':
        return arrow.vectorFromArray(values as (boolean | null)[], new arrow.Bool());
      default:
        return arrow.vectorFromArray(values as (string | null)[], new arrow.Utf8());
    }
  };
  return new arrow.Table(Object.fromEntries(columns.map((column) => [column.name, vector(column)]))) as unknown as ArrowTable;
};

const ipcOf = async (columns: readonly WrittenColumn[], form: 'file' | 'stream'): Promise<Uint8Array> => {
  const { tableToIPC } = await loadArrow('an Arrow file');
  return tableToIPC((await arrowTable(columns)) as never, form);
};

/** Columns as an Arrow file. */
export const arrowFileOf = (columns: readonly WrittenColumn[]): Promise<Uint8Array> => ipcOf(columns, 'file');

/** Columns as an Arrow stream. */
export const arrowStreamOf = (columns: readonly WrittenColumn[]): Promise<Uint8Array> => ipcOf(columns, 'stream');
