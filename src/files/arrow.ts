// Arrow tables, files and streams as columns (docs/files.md).

import {
  type ArrowData,
  type ArrowTable,
  type ArrowType,
  type ArrowVector,
  type ColumnKind,
  DECIMAL_DIGITS,
  DECIMALS,
  type WrittenColumn,
} from '../basics/columnar.ts';
import { isoOf, NO_DAY } from '../calendar/day.ts';
import { DurchblickError } from '../errors.ts';
import { exactDigits } from '../model/decimal.ts';
import { checkBatches } from './arrow-check.ts';
import { decimalValue, type FileColumn, type FileTable, integerValue, type TimeUnit, timestampText } from './column.ts';
import { checkNames } from './text.ts';

/** Numbers of types in Arrow's format, which every version keeps. */
const [NULL, INT, FLOAT, BINARY, UTF8, BOOL, DECIMAL, DATE, TIME, TIMESTAMP] = [1, 2, 3, 4, 5, 6, 7, 8, 9, 10];
const [INTERVAL, LIST, STRUCT, UNION, FIXED_BINARY, FIXED_LIST, MAP, DURATION, LARGE_BINARY, LARGE_UTF8, LARGE_LIST] = [
  11, 12, 13, 14, 15, 16, 17, 18, 19, 20, 21,
];
const [BINARY_VIEW, UTF8_VIEW] = [23, 24];
const DICTIONARY = -1;
const UNUSABLE: Readonly<Record<number, string>> = {
  [BINARY]: 'bytes',
  [LARGE_BINARY]: 'bytes',
  [BINARY_VIEW]: 'bytes',
  [FIXED_BINARY]: 'bytes',
  [TIME]: 'times of day',
  [INTERVAL]: 'intervals',
  [DURATION]: 'durations',
  [LIST]: 'lists',
  [LARGE_LIST]: 'lists',
  [FIXED_LIST]: 'lists',
  [STRUCT]: 'records',
  [MAP]: 'maps',
  [UNION]: 'values of several types',
};
const UNITS: readonly TimeUnit[] = ['second', 'milli', 'micro', 'nano'];
/** Decimals with more digits than this are read by no other reader. */
const MOST_DIGITS = 38;
const DAY_MS = 86_400_000n;
const DAY_MILLISECONDS = 86_400_000;

const damaged = (what: string): Error => new Error(`it is damaged (${what})`);

/** Goes over the values of a vector; blanks are null. */
const valuesOf = (vector: ArrowVector, read: (data: ArrowData) => (i: number) => unknown): unknown[] => {
  const values: unknown[] = [];
  for (const data of vector.data) {
    const value = read(data);
    for (let i = 0; i < data.length; i++) values.push(data.nullCount > 0 && !data.getValid(i) ? null : value(i));
  }
  return values;
};

/** As many values as a chunk says it has, each of so many elements. */
const sized = (data: ArrowData, stride: number): ArrayLike<number | bigint> => {
  if (data.values.length < data.length * stride) throw damaged('a column ends early');
  return data.values;
};

/** Numbers where all are there, else with NaN for blanks. */
const doubles = (vector: ArrowVector, read: (data: ArrowData) => (i: number) => number): Float64Array => {
  const out = new Float64Array(vector.length);
  let at = 0;
  for (const data of vector.data) {
    const value = read(data);
    for (let i = 0; i < data.length; i++) out[at++] = data.nullCount > 0 && !data.getValid(i) ? Number.NaN : value(i);
  }
  return out;
};

const days = (vector: ArrowVector, unit: number): Int32Array => {
  const out = new Int32Array(vector.length);
  let at = 0;
  for (const data of vector.data) {
    const values = sized(data, 1);
    for (let i = 0; i < data.length; i++) {
      if (data.nullCount > 0 && !data.getValid(i)) out[at++] = NO_DAY;
      else if (unit === 0) out[at++] = Number(values[i]);
      else {
        const count = BigInt(values[i]);
        out[at++] = Number((count - (((count % DAY_MS) + DAY_MS) % DAY_MS)) / DAY_MS);
      }
    }
  }
  return out;
};

/** 16 bits as a number: a sign, five bits of exponent, ten of fraction. */
const halfFloat = (bits: number): number => {
  const [sign, exponent, fraction] = [bits >> 15 ? -1 : 1, (bits >> 10) & 31, bits & 1023];
  if (exponent === 31) return fraction > 0 ? Number.NaN : sign * Number.POSITIVE_INFINITY;
  return sign * (exponent === 0 ? 2 ** -14 * (fraction / 1024) : 2 ** (exponent - 15) * (1 + fraction / 1024));
};

/** A whole number from its words of 32 bits, the least first. */
const integerOf = (words: ArrayLike<number | bigint>, at: number, count: number): bigint => {
  let whole = 0n;
  for (let k = count - 1; k >= 0; k--) whole = (whole << 32n) | BigInt(Number(words[at + k]) >>> 0);
  return BigInt.asIntN(count * 32, whole);
};

const texts = (vector: ArrowVector): unknown[] => {
  const decoder = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true });
  return valuesOf(vector, ({ values, valueOffsets, length }) => {
    if (length > 0 && valueOffsets.length < length + 1) throw damaged('a column ends early');
    return (i) => {
      const [from, to] = [Number(valueOffsets[i]), Number(valueOffsets[i + 1])];
      if (!(from >= 0 && from <= to && to <= values.length)) throw damaged('a text lies outside of the file');
      return decoder.decode((values as Uint8Array).subarray(from, to));
    };
  });
};

type Values = Omit<FileColumn, 'name'>;

const integers = (vector: ArrowVector, bitWidth: number): Values => {
  if (bitWidth < 64) return { kind: 'integer', values: doubles(vector, (data) => (i) => Number(sized(data, 1)[i])) };
  return { kind: 'integer', values: valuesOf(vector, (data) => (i) => integerValue(BigInt(sized(data, 1)[i]))) };
};

const decimals = (vector: ArrowVector, { bitWidth = 128, precision = 0, scale = 0 }: ArrowType): Values => {
  if (precision > MOST_DIGITS || scale < 0 || scale > MOST_DIGITS)
    return { kind: 'unusable', values: [], holds: `decimals of more than ${MOST_DIGITS} digits` };
  const words = bitWidth / 32;
  return {
    kind: 'decimal',
    values: valuesOf(vector, (data) => (i) => decimalValue(integerOf(sized(data, words), i * words, words), scale)),
  };
};

const dictionaryValues = (vector: ArrowVector, type: ArrowType): Values => {
  const known = new Map<ArrowVector, ArrayLike<unknown>>();
  let kind = 'text' as ColumnKind;
  const values = valuesOf(vector, (data) => {
    const { dictionary } = data;
    if (!dictionary) throw damaged('a dictionary is missing');
    let entries = known.get(dictionary);
    if (!entries) {
      const found = vectorValues(dictionary, type.dictionary ?? (dictionary.type as ArrowType));
      kind = found.kind;
      entries = found.values;
      known.set(dictionary, entries);
    }
    const codes = sized(data, 1);
    const list = entries;
    return (i) => {
      const code = Number(codes[i]);
      if (!(code >= 0 && code < list.length)) throw damaged('a dictionary has no such entry');
      return list[code];
    };
  });
  // Days keep the list that days are held in.
  if (kind === 'date') return { kind, values: Int32Array.from(values, (value) => (value === null ? NO_DAY : (value as number))) };
  return { kind, values };
};

const vectorValues = (vector: ArrowVector, type: ArrowType): Values => {
  switch (type.typeId) {
    case NULL:
      return { kind: 'text', values: new Array(vector.length).fill(null) };
    case INT:
      return integers(vector, type.bitWidth ?? 32);
    case FLOAT: {
      const half = type.precision === 0;
      return {
        kind: 'double',
        values: doubles(vector, (data) => {
          const values = sized(data, 1);
          return half ? (i) => halfFloat(Number(values[i])) : (i) => Number(values[i]);
        }),
      };
    }
    case BOOL:
      return {
        kind: 'boolean',
        values: valuesOf(vector, ({ values, offset, length }) => {
          if (values.length * 8 < offset + length) throw damaged('a column ends early');
          return (i) => ((Number(values[(offset + i) >> 3]) >> ((offset + i) & 7)) & 1) === 1;
        }),
      };
    case UTF8:
    case LARGE_UTF8:
      return { kind: 'text', values: texts(vector) };
    case UTF8_VIEW:
      return { kind: 'text', values: Array.from({ length: vector.length }, (_, i) => vector.get(i) ?? null) };
    case DECIMAL:
      return decimals(vector, type);
    case DATE:
      return { kind: 'date', values: days(vector, type.unit ?? 0) };
    case TIMESTAMP: {
      const unit = UNITS[type.unit ?? 1];
      const end = type.timezone ? 'Z' : '';
      return {
        kind: type.timezone ? 'instant' : 'timestamp',
        values: valuesOf(vector, (data) => (i) => `${timestampText(BigInt(sized(data, 1)[i]), unit, isoOf)}${end}`),
      };
    }
    case DICTIONARY:
      return dictionaryValues(vector, type);
    default:
      return { kind: 'unusable', values: [], holds: UNUSABLE[type.typeId] ?? 'values of an unknown type' };
  }
};

/** A column of an Arrow table by its place. */
export const arrowColumn = (table: ArrowTable, k: number): FileColumn => {
  const { name, type } = table.schema.fields[k];
  const vector = table.getChildAt(k);
  if (!vector || vector.length !== table.numRows) throw damaged('a column has another length than the table');
  return { name, ...vectorValues(vector, type as ArrowType) };
};

/** An Arrow table as columns, each read when it is asked for. */
export const arrowColumns = (table: ArrowTable, file: string): FileTable => {
  const names = table.schema.fields.map(({ name }) => name);
  checkNames(names, file);
  const column = (name: string, k: number): FileColumn => {
    let read: FileColumn | undefined;
    const found = (): FileColumn => {
      read ??= arrowColumn(table, k);
      return read;
    };
    return {
      name,
      get kind() {
        return found().kind;
      },
      get values() {
        return found().values;
      },
      get holds() {
        return found().holds;
      },
    };
  };
  return { rows: table.numRows, columns: names.map(column) };
};

const loadArrow = (what: string): Promise<typeof import('apache-arrow')> =>
  import('apache-arrow').catch((error: Error) => {
    throw new DurchblickError('no-package', `${what} needs apache-arrow`, {
      kind: 'engine',
      hint: `Install it: npm install apache-arrow. (${error.message.split('\n')[0]})`,
    });
  });

/** Reads an Arrow file (Feather version 2) or stream. */
export const readArrow = async (bytes: Uint8Array, name: string): Promise<FileTable> => {
  const arrow = await loadArrow(name);
  try {
    const stream = await checkBatches(bytes, arrow);
    const { rows, columns } = arrowColumns(arrow.tableFromIPC(stream) as unknown as ArrowTable, name);
    // All of them now: what is damaged is told when the file is opened.
    return { rows, columns: columns.map(({ name: column, kind, values, holds }) => ({ name: column, kind, values, holds })) };
  } catch (error) {
    if (error instanceof DurchblickError) throw error;
    throw new DurchblickError('bad-file', `${name} is no Arrow file that can be read: ${(error as Error).message.split('\n')[0]}`, {
      kind: 'data',
      hint: 'It must be an Arrow file (Feather version 2) or an Arrow stream.',
    });
  }
};

/** The four words of a decimal, the lowest first. */
const wordsOf = (digits: bigint): Uint32Array => {
  const bits = BigInt.asUintN(128, digits);
  return Uint32Array.from({ length: 4 }, (_, k) => Number((bits >> BigInt(32 * k)) & 0xffffffffn));
};

/** Columns as an Arrow table; what they hold is kept as metadata, `comment` for the whole. */
export const arrowTable = async (columns: readonly WrittenColumn[], comment?: string): Promise<ArrowTable> => {
  const arrow = await loadArrow('an Arrow table');
  const vector = ({ type, values }: WrittenColumn) => {
    switch (type) {
      case 'date':
        return arrow.vectorFromArray(
          values.map((day) => (day === null ? null : (day as number) * DAY_MILLISECONDS)),
          new arrow.DateDay(),
        );
      case 'integer':
        return arrow.vectorFromArray(values as (number | null)[], new arrow.Int32());
      case 'long':
        return arrow.vectorFromArray(
          values.map((value) => (value === null ? null : BigInt(value as number))),
          new arrow.Int64(),
        );
      case 'decimal':
        return arrow.vectorFromArray(
          values.map((value) => (value === null ? null : wordsOf(exactDigits(value as number) ?? 0n))),
          new arrow.Decimal(DECIMALS, DECIMAL_DIGITS, 128),
        );
      case 'number':
        return arrow.vectorFromArray(values as (number | null)[], new arrow.Float64());
      case 'boolean':
        return arrow.vectorFromArray(values as (boolean | null)[], new arrow.Bool());
      default:
        return arrow.vectorFromArray(values as (string | null)[], new arrow.Utf8());
    }
  };
  const vectors = columns.map(vector);
  const fields = columns.map(({ name, comment: own }, k) => {
    const { type, nullable } = new arrow.Table({ [name]: vectors[k] }).schema.fields[0];
    return new arrow.Field(name, type, nullable, new Map(own === undefined ? [] : [['comment', own]]));
  });
  const schema = new arrow.Schema(fields, new Map(comment === undefined ? [] : [['comment', comment]]));
  return new arrow.Table(schema, Object.fromEntries(columns.map(({ name }, k) => [name, vectors[k]]))) as unknown as ArrowTable;
};

const ipcOf = async (columns: readonly WrittenColumn[], form: 'file' | 'stream', comment?: string): Promise<Uint8Array> => {
  const { tableToIPC } = await loadArrow('an Arrow file');
  return tableToIPC((await arrowTable(columns, comment)) as never, form);
};

/** Columns as an Arrow file; what they hold is kept as metadata, `comment` for the whole. */
export const arrowFileOf = (columns: readonly WrittenColumn[], comment?: string): Promise<Uint8Array> => ipcOf(columns, 'file', comment);

/** Columns as an Arrow stream. */
export const arrowStreamOf = (columns: readonly WrittenColumn[]): Promise<Uint8Array> => ipcOf(columns, 'stream');

/** The comment that `arrowFileOf` has written. */
export const arrowComment = async (bytes: Uint8Array): Promise<string | undefined> => {
  const { tableFromIPC } = await loadArrow('an Arrow file');
  return tableFromIPC(bytes).schema.metadata.get('comment');
};
