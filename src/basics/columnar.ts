/** Digits of decimals that are written, and how many of them stand behind the point: what a sum can have (M10). */
export const DECIMAL_DIGITS = 22;
export const DECIMALS = 6;

/** A column ready for a columnar file format, blanks as null. */
export interface WrittenColumn {
  readonly name: string;
  /**
   * `date` holds day numbers (D1), `integer` has 32 bits and `long` 64, `decimal` is exact with at most DECIMALS behind its point,
   * `number` in double precision.
   */
  readonly type: 'date' | 'integer' | 'long' | 'boolean' | 'text' | 'decimal' | 'number';
  /** What it holds, for who finds it in a file. */
  readonly comment?: string;
  readonly values: readonly (string | number | boolean | null)[];
}

/**
 * What kind of values a column holds, and how they are held: `date` as day numbers in an Int32Array (D1; -2^31 is blank),
 * `timestamp` (no zone) and `instant` as ISO 8601 texts, the latter in UTC with a Z, `decimal` as numbers of up to 15
 * digits and as texts beyond, `integer` as numbers and beyond 2^53 as bigints, `mixed` as JSON has them. Blank is null,
 * NaN in a Float64Array. `unusable` values can be neither dates nor members nor numbers.
 */
export type ColumnKind = 'date' | 'timestamp' | 'instant' | 'integer' | 'decimal' | 'double' | 'boolean' | 'text' | 'mixed' | 'unusable';

/** What is used of an Apache Arrow table. */
export interface ArrowTable {
  readonly numRows: number;
  readonly schema: { readonly fields: readonly { readonly name: string; readonly type: unknown }[] };
  readonly getChild: (name: string) => ArrowVector | null;
  readonly getChildAt: (k: number) => ArrowVector | null;
}

export interface ArrowVector {
  readonly length: number;
  readonly type: unknown;
  readonly data: readonly ArrowData[];
  readonly get: (i: number) => unknown;
}

/** A chunk of a vector: its buffers, and which of its values are there. */
export interface ArrowData {
  readonly length: number;
  readonly offset: number;
  readonly nullCount: number;
  readonly values: ArrayLike<number | bigint>;
  readonly valueOffsets: ArrayLike<number | bigint>;
  readonly getValid: (i: number) => boolean;
  readonly dictionary?: ArrowVector;
}

export interface ArrowType {
  readonly typeId: number;
  readonly bitWidth?: number;
  readonly precision?: number;
  readonly scale?: number;
  readonly unit?: number;
  readonly timezone?: string | null;
  readonly dictionary?: ArrowType;
}
