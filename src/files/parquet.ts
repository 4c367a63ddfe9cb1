import { isoOf } from '../calendar/day.ts';
import { DurchblickError } from '../errors.ts';
import type { WrittenColumn } from '../kernels/columnar.ts';
import { type ByteSource, sourceOf, tooLarge } from './bytes.ts';

const DAY_MS = 86_400_000;

/** A point in time without a zone, as text: its date is the one that was written. */
const localText = (milliseconds: number): string => new Date(milliseconds).toISOString().slice(0, -1);

/** Values of a Parquet file that fit in memory with room to work: every one becomes a value of JavaScript. */
const MOST_VALUES = 50_000_000;

/**
 * Reads a Parquet file into columns: dates as ISO texts, instants as Date, timestamps without a zone as texts, blanks
 * null. With `most`, no more than the first so many rows.
 */
export const readParquet = async (
  bytes: Uint8Array | ByteSource,
  name: string,
  most = Number.POSITIVE_INFINITY,
): Promise<Readonly<Record<string, readonly unknown[]>>> => {
  const [{ parquetMetadataAsync, parquetRead, parquetSchema }, { compressors }] = await Promise.all([
    import('hyparquet'),
    import('hyparquet-compressors'),
  ]);
  const file = bytes instanceof Uint8Array ? sourceOf(bytes) : bytes;
  try {
    const metadata = await parquetMetadataAsync(file);
    const columns: Record<string, unknown[]> = Object.create(null);
    const local = new Set<string>();
    const decimals = new Map<string, number>();
    const { children } = parquetSchema(metadata);
    const rows = Math.min(Number(metadata.num_rows), most);
    if (rows * children.length > MOST_VALUES) throw tooLarge(name, `${metadata.num_rows} rows of ${children.length} columns`);
    for (const { element } of children) {
      columns[element.name] = new Array(rows).fill(null);
      const { logical_type: logical } = element;
      if (logical?.type === 'TIMESTAMP' && !logical.isAdjustedToUTC) local.add(element.name);
      if (element.converted_type === 'DECIMAL' || logical?.type === 'DECIMAL') decimals.set(element.name, element.scale ?? 0);
    }
    await parquetRead({
      file,
      metadata,
      compressors,
      rowEnd: rows,
      parsers: { dateFromDays: (days: number | undefined) => (days === undefined || days === null ? null : isoOf(days)) },
      onChunk: ({ columnName, columnData, rowStart }) => {
        const column = columns[columnName];
        const scale = decimals.get(columnName);
        // A chunk may reach beyond the rows that were asked for.
        const length = Math.min(columnData.length, rows - rowStart);
        for (let k = 0; k < length; k++) {
          let value: unknown = columnData[k];
          if (value instanceof Date && local.has(columnName)) value = localText(value.getTime());
          // Digits times a power of ten is off in the last place; the nearest double is what was written.
          else if (typeof value === 'number' && scale !== undefined) value = Number(value.toFixed(scale));
          column[rowStart + k] = value ?? null;
        }
      },
    });
    return columns;
  } catch (error) {
    if (error instanceof DurchblickError) throw error;
    throw new DurchblickError('bad-file', `${name} is no Parquet file that can be read: ${(error as Error).message.split('\n')[0]}`, {
      kind: 'data',
      hint: 'It must be what its ending says.',
    });
  }
};

/** Columns as a Parquet file. */
export const parquetOf = async (columns: readonly WrittenColumn[]): Promise<Uint8Array> => {
  const { parquetWriteBuffer } = await import('hyparquet-writer');
  const element = ({ name, type }: WrittenColumn) => {
    const base = { name, repetition_type: 'OPTIONAL' as const };
    switch (type) {
      case 'date':
        return { ...base, type: 'INT32' as const, converted_type: 'DATE' as const };
      case 'integer':
        return { ...base, type: 'INT32' as const };
      case 'boolean':
        return { ...base, type: 'BOOLEAN' as const };
      case 'number':
        return { ...base, type: 'DOUBLE' as const };
      default:
        return { ...base, type: 'BYTE_ARRAY' as const, converted_type: 'UTF8' as const };
    }
  };
  const data = ({ type, values }: WrittenColumn) =>
    type === 'date' ? values.map((day) => (day === null ? null : new Date((day as number) * DAY_MS))) : [...values];
  const buffer = parquetWriteBuffer({
    columnData: columns.map((column) => ({ name: column.name, data: data(column) })),
    schema: [{ name: 'root', num_children: columns.length }, ...columns.map(element)],
  });
  return new Uint8Array(buffer);
};
