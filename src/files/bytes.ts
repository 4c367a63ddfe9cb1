// Files as bytes of which parts can be read.
import { DurchblickError } from '../errors.ts';

/** A file of which parts can be read; an ArrayBuffer is one as it is. */
export interface ByteSource {
  readonly byteLength: number;
  /** Bytes from `start` up to, and without, `end`. */
  readonly slice: (start: number, end?: number) => ArrayBuffer | Promise<ArrayBuffer>;
}

export const sourceOf = (bytes: Uint8Array): ByteSource => ({
  byteLength: bytes.byteLength,
  // A Buffer of Node.js has a `slice` of its own, which copies nothing.
  slice: (start, end) => Uint8Array.prototype.slice.call(bytes, start, end).buffer as ArrayBuffer,
});

/** A file that is too large to be held in memory as it is. */
export const tooLarge = (name: string, what: string): DurchblickError =>
  new DurchblickError('too-large', `${name} has ${what}: too much to hold in memory`, {
    kind: 'data',
    hint: 'Let a database read it: `--engine duckdb`, or the `duckdb` engine in a program.',
  });
