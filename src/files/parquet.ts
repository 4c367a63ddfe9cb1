// Parquet files as columns, by the types that their schema states (docs/files.md).

import { type ColumnKind, DECIMAL_DIGITS, DECIMALS, type WrittenColumn } from '../basics/columnar.ts';
import { isoOf, NO_DAY } from '../calendar/day.ts';
import { DurchblickError } from '../errors.ts';
import { exactDigits } from '../model/decimal.ts';
import { type ByteSource, sourceOf, tooLarge } from './bytes.ts';
import { decimalValue, type FileColumn, type FileTable, integerValue, type TimeUnit, timestampText } from './column.ts';
import { checkNames } from './text.ts';

const DAY_MS = 86_400_000;
/** Decimals with more digits than this are read by no other reader. */
export const MOST_DIGITS = 38;

/** Values of a Parquet file that fit in memory with room to work: every one becomes a value of JavaScript. */
const MOST_VALUES = 50_000_000;

/** What is used of an element of a Parquet schema. */
interface Element {
  readonly name: string;
  readonly type?: string;
  readonly repetition_type?: string;
  readonly num_children?: number;
  readonly converted_type?: string;
  readonly scale?: number;
  readonly precision?: number;
  readonly logical_type?: {
    readonly type: string;
    readonly unit?: string;
    readonly isAdjustedToUTC?: boolean;
    readonly scale?: number;
    readonly precision?: number;
  };
}

interface Kind {
  readonly kind: Exclude<ColumnKind, 'mixed'>;
  readonly holds?: string;
  readonly scale?: number;
  readonly unit?: TimeUnit;
}

const UNITS: Readonly<Record<string, TimeUnit>> = { MILLIS: 'milli', MICROS: 'micro', NANOS: 'nano' };
const unusable = (holds: string): Kind => ({ kind: 'unusable', holds });

/** What a column holds by its element: the logical type where there is one, else the older converted type. */
const kindOf = ({ type, repetition_type, num_children, converted_type: converted, logical_type: logical, ...element }: Element): Kind => {
  const stated = logical?.type ?? converted;
  if (num_children) return unusable(stated === 'LIST' ? 'lists' : stated === 'MAP' || stated === 'MAP_KEY_VALUE' ? 'maps' : 'records');
  if (repetition_type === 'REPEATED') return unusable('lists');
  if (converted === 'DECIMAL' || logical?.type === 'DECIMAL') {
    const { precision = 0, scale = 0 } = logical?.type === 'DECIMAL' ? logical : element;
    return precision > MOST_DIGITS || scale > MOST_DIGITS
      ? unusable(`decimals of more than ${MOST_DIGITS} digits`)
      : { kind: 'decimal', scale };
  }
  if (stated === 'DATE') return { kind: 'date' };
  if (logical?.type === 'TIMESTAMP')
    return { kind: logical.isAdjustedToUTC ? 'instant' : 'timestamp', unit: UNITS[logical.unit ?? 'MILLIS'] };
  // The older types do not say whether they are of a zone.
  if (converted === 'TIMESTAMP_MILLIS') return { kind: 'timestamp', unit: 'milli' };
  if (converted === 'TIMESTAMP_MICROS') return { kind: 'timestamp', unit: 'micro' };
  if (type === 'INT96') return { kind: 'timestamp', unit: 'nano' };
  if (stated?.startsWith('TIME')) return unusable('times of day');
  if (stated === 'INTERVAL') return unusable('intervals');
  if (type === 'BOOLEAN') return { kind: 'boolean' };
  if (type === 'INT32' || type === 'INT64') return { kind: 'integer' };
  if (type === 'FLOAT' || type === 'DOUBLE' || logical?.type === 'FLOAT16') return { kind: 'double' };
  const isText = ['UTF8', 'STRING', 'ENUM', 'JSON', 'UUID'].includes(stated ?? '');
  return isText ? { kind: 'text' } : unusable('bytes');
};

const same = <T>(value: T): T => value;
/** Bounds in the file's index may be cut in the middle of a character; nobody reads them. */
const AS_IT_STANDS = {
  timestampFromMilliseconds: same<bigint>,
  timestampFromMicroseconds: same<bigint>,
  timestampFromNanoseconds: same<bigint>,
  dateFromDays: same<number>,
  stringFromBytes: same<Uint8Array | undefined>,
  jsonFromBytes: same<Uint8Array | undefined>,
};

/** What parsers hand over, so that no digit is lost on the way: counts of units as they stand, texts that are UTF-8. */
const parsers = () => {
  const decoder = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true });
  const text = (bytes: Uint8Array | undefined): string | undefined => {
    if (!bytes) return undefined;
    try {
      return decoder.decode(bytes);
    } catch {
      throw new Error('a text is not UTF-8');
    }
  };
  return { ...AS_IT_STANDS, stringFromBytes: text, jsonFromBytes: text };
};

/** A whole number from its bytes, the greatest first. */
const integerOf = (bytes: Uint8Array): bigint => {
  let whole = 0n;
  for (const byte of bytes) whole = (whole << 8n) | BigInt(byte);
  return BigInt.asIntN(bytes.length * 8, whole);
};

/** Turns what was decoded into the values of a kind. */
const turned = ({ kind, scale = 0, unit = 'milli' }: Kind): ((raw: unknown) => unknown) => {
  switch (kind) {
    case 'decimal':
      return (raw) => decimalValue(raw instanceof Uint8Array ? integerOf(raw) : BigInt(raw as number | bigint), scale);
    case 'timestamp':
      return (raw) => timestampText(BigInt(raw as bigint), unit, isoOf);
    case 'instant':
      return (raw) => `${timestampText(BigInt(raw as bigint), unit, isoOf)}Z`;
    case 'integer':
      return (raw) => (typeof raw === 'bigint' ? integerValue(raw) : raw);
    default:
      return (raw) => raw;
  }
};

const emptyValues = (kind: ColumnKind, rows: number): unknown[] | Int32Array | Float64Array =>
  kind === 'date'
    ? new Int32Array(rows).fill(NO_DAY)
    : kind === 'double'
      ? new Float64Array(rows).fill(Number.NaN)
      : (new Array(rows).fill(null) as unknown[]);

type Metadata = Awaited<ReturnType<typeof import('hyparquet')['parquetMetadataAsync']>>;

/** The file's own columns: those below others belong to them. */
const topLevel = (metadata: Metadata, parquetSchema: typeof import('hyparquet')['parquetSchema']): Element[] =>
  parquetSchema(metadata).children.map(({ element }) => element as Element);

/** What a file says of all values of a column: days, or numbers as they stand; null where every row is blank. */
export interface StatedValues {
  readonly least: number | null;
  readonly greatest: number | null;
  readonly blanks: number;
}

/** What the columns of a Parquet file are, by its schema. */
export interface ParquetColumn {
  readonly name: string;
  readonly kind: Exclude<ColumnKind, 'mixed'>;
  readonly holds?: string;
  readonly scale?: number;
  readonly precision?: number;
  /** How the file writes its values: those of two files that say the same are of one type to every reader. */
  readonly type: string;
  /** Of days and exact numbers, where the file says it of each of its parts. */
  readonly stated?: StatedValues;
}

export interface ParquetSchema {
  readonly rows: number;
  readonly columns: readonly ParquetColumn[];
}

const notParquet = (name: string, error: unknown): DurchblickError =>
  error instanceof DurchblickError
    ? error
    : new DurchblickError('bad-file', `${name} is no Parquet file that can be read: ${(error as Error).message.split('\n')[0]}`, {
        kind: 'data',
        hint: 'It must be what its ending says.',
      });

/**
 * What the file states of a column's values, whole parts of it together; undefined where one of them says nothing, or only about.
 * Texts, points in time and doubles are left out: their order is not the same to all who write it down.
 */
const statedOf = ({ row_groups: groups }: Metadata, element: Element, kind: ColumnKind): StatedValues | undefined => {
  const isWhole = element.type === 'INT32' || element.type === 'INT64';
  if (!isWhole || !['date', 'integer', 'decimal'].includes(kind)) return undefined;
  // Where the older type does not say it, the bounds of decimals are whole numbers.
  const factor =
    kind === 'decimal' && element.converted_type !== 'DECIMAL' ? 10 ** -(element.scale ?? element.logical_type?.scale ?? 0) : 1;
  let found: StatedValues = { least: null, greatest: null, blanks: 0 };
  for (const { columns } of groups) {
    const own = columns.find(
      ({ meta_data: data }) => data?.path_in_schema.length === 1 && data.path_in_schema[0] === element.name,
    )?.meta_data;
    const stated = own?.statistics;
    if (!own || stated?.null_count === undefined || stated.is_min_value_exact === false || stated.is_max_value_exact === false)
      return undefined;
    const [blanks, values] = [Number(stated.null_count), Number(own.num_values)];
    if (blanks < values && (stated.min_value === undefined || stated.max_value === undefined)) return undefined;
    const [least, greatest] = [Number(stated.min_value) * factor, Number(stated.max_value) * factor];
    found =
      blanks === values
        ? { ...found, blanks: found.blanks + blanks }
        : {
            least: Math.min(found.least ?? least, least),
            greatest: Math.max(found.greatest ?? greatest, greatest),
            blanks: found.blanks + blanks,
          };
  }
  return Number.isNaN(found.least) || Number.isNaN(found.greatest) ? undefined : found;
};

/** Reads the schema of a Parquet file alone, and what it states of its rows. */
export const parquetSchema = async (file: ByteSource, name: string): Promise<ParquetSchema> => {
  const library = await import('hyparquet');
  try {
    const metadata = await library.parquetMetadataAsync(file, { parsers: AS_IT_STANDS, geoparquet: false });
    const elements = topLevel(metadata, library.parquetSchema);
    checkNames(
      elements.map((element) => element.name),
      name,
    );
    const columns = elements.map((element) => {
      const { kind, holds, scale } = kindOf(element);
      const whole = element.type === 'INT32' ? 10 : element.type === 'INT64' ? 20 : undefined;
      const precision = kind === 'integer' ? whole : (element.logical_type?.precision ?? element.precision);
      const stated = statedOf(metadata, element, kind);
      const { type, converted_type: converted, logical_type: logical } = element;
      return {
        name: element.name,
        kind,
        type: JSON.stringify([type, converted, logical, element.scale, element.precision], (_, value) =>
          typeof value === 'bigint' ? String(value) : value,
        ),
        ...(holds ? { holds } : {}),
        ...(scale === undefined ? {} : { scale }),
        ...(precision ? { precision } : {}),
        ...(stated ? { stated } : {}),
      };
    });
    return { rows: Number(metadata.num_rows), columns };
  } catch (error) {
    throw notParquet(name, error);
  }
};

type Compressors = typeof import('hyparquet-compressors')['compressors'];

const unpack = (compressors: Compressors, codec: string, packed: Uint8Array, size: number): Uint8Array => {
  const own = compressors[codec as keyof Compressors];
  if (!own) throw new Error(`it is packed by ${codec}, which is not known`);
  return own(packed, size);
};

/** Reads a Parquet file into columns. With `most`, no more than the first so many rows. */
export const readParquet = async (bytes: Uint8Array | ByteSource, name: string, most = Number.POSITIVE_INFINITY): Promise<FileTable> => {
  const [{ parquetMetadataAsync, parquetRead, parquetSchema }, { compressors }] = await Promise.all([
    import('hyparquet'),
    import('hyparquet-compressors'),
  ]);
  const file = bytes instanceof Uint8Array ? sourceOf(bytes) : bytes;
  try {
    const metadata = await parquetMetadataAsync(file, { parsers: AS_IT_STANDS, geoparquet: false });
    const elements = topLevel(metadata, parquetSchema);
    checkNames(
      elements.map((element) => element.name),
      name,
    );
    const rows = Math.min(Number(metadata.num_rows), most);
    if (!(rows >= 0)) throw new Error('it has no number of rows');
    if (rows * elements.length > MOST_VALUES) throw tooLarge(name, `${metadata.num_rows} rows of ${elements.length} columns`);
    const columns = elements.map((element) => ({ element, own: kindOf(element) }));
    const usable = columns.filter(({ own }) => own.kind !== 'unusable');
    const values = new Map(usable.map(({ element, own }) => [element.name, emptyValues(own.kind, rows)]));
    const turns = new Map(usable.map(({ element, own }) => [element.name, turned(own)]));
    // Decimals come as the integers they are, to be scaled without rounding.
    for (const element of metadata.schema)
      if (element.converted_type === 'DECIMAL') (element as { converted_type?: string }).converted_type = undefined;
    if (bytes instanceof Uint8Array && rows > 0) {
      const { checkPages } = await import('./parquet-check.ts');
      checkPages(bytes, metadata, new Set(values.keys()), (codec, packed, size) => unpack(compressors, codec, packed, size));
    }
    if (rows > 0 && usable.length > 0)
      await parquetRead({
        file,
        metadata,
        compressors,
        rowEnd: rows,
        columns: usable.map(({ element }) => element.name),
        utf8: false,
        geoparquet: false,
        parsers: parsers(),
        onChunk: ({ columnName, columnData, rowStart }) => {
          const column = values.get(columnName);
          const turn = turns.get(columnName);
          if (!column || !turn) return;
          // A chunk may reach beyond the rows that were asked for.
          const length = Math.min(columnData.length, rows - rowStart);
          for (let k = 0; k < length; k++) {
            const raw = columnData[k];
            if (raw !== null && raw !== undefined) column[rowStart + k] = turn(raw) as number;
          }
        },
      });
    return {
      rows,
      columns: columns.map(
        ({ element, own }): FileColumn => ({
          name: element.name,
          kind: own.kind,
          values: values.get(element.name) ?? [],
          ...(own.holds ? { holds: own.holds } : {}),
        }),
      ),
    };
  } catch (error) {
    throw notParquet(name, error);
  }
};

/** Bytes that a decimal takes. */
const DECIMAL_BYTES = 10;

/** Columns as a Parquet file; what they hold is kept as metadata, `comment` for the whole. */
export const parquetOf = async (columns: readonly WrittenColumn[], comment?: string): Promise<Uint8Array> => {
  const { parquetWriteBuffer } = await import('hyparquet-writer');
  const element = ({ name, type }: WrittenColumn) => {
    const base = { name, repetition_type: 'OPTIONAL' as const };
    switch (type) {
      case 'date':
        return { ...base, type: 'INT32' as const, converted_type: 'DATE' as const };
      case 'integer':
        return { ...base, type: 'INT32' as const };
      case 'long':
        return { ...base, type: 'INT64' as const };
      case 'decimal': {
        const digits = { precision: DECIMAL_DIGITS, scale: DECIMALS };
        return {
          ...base,
          type: 'FIXED_LEN_BYTE_ARRAY' as const,
          type_length: DECIMAL_BYTES,
          converted_type: 'DECIMAL' as const,
          ...digits,
        };
      }
      case 'boolean':
        return { ...base, type: 'BOOLEAN' as const };
      case 'number':
        return { ...base, type: 'DOUBLE' as const };
      default:
        return { ...base, type: 'BYTE_ARRAY' as const, converted_type: 'UTF8' as const };
    }
  };
  const data = ({ type, values }: WrittenColumn) => {
    const each = <T>(make: (value: number) => T): (T | null)[] => values.map((value) => (value === null ? null : make(value as number)));
    if (type === 'date') return each((day) => new Date(day * DAY_MS));
    if (type === 'long') return each(BigInt);
    return type === 'decimal' ? each((value) => exactDigits(value) ?? null) : [...values];
  };
  const kept = [
    ...(comment === undefined ? [] : [{ key: 'comment', value: comment }]),
    ...columns.flatMap(({ name, comment: own }) => (own === undefined ? [] : [{ key: `comment:${name}`, value: own }])),
  ];
  const buffer = parquetWriteBuffer({
    columnData: columns.map((column) => ({ name: column.name, data: data(column) })),
    schema: [{ name: 'root', num_children: columns.length }, ...columns.map(element)],
    ...(kept.length > 0 ? { kvMetadata: kept } : {}),
  });
  return new Uint8Array(buffer);
};

/** The comment that `parquetOf` has written. */
export const parquetComment = async (bytes: Uint8Array): Promise<string | undefined> => {
  const { parquetMetadata } = await import('hyparquet');
  const { key_value_metadata: kept = [] } = parquetMetadata(
    bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength) as ArrayBuffer,
  );
  return kept.find(({ key }) => key === 'comment')?.value;
};
