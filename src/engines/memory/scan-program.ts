import type { Kernel, Room } from './kernel-memory.ts';
import type { List } from './lists.ts';
import { cellCount, type Scan, type ScanCells, type ScanColumn, slotCount } from './scan.ts';

/** Where a column's rows are found: its address, and the bytes by which it moves on with every row of the table. */
interface Rows {
  readonly at: number;
  readonly step: number;
}

/** One loop of the kernel, with its arguments. */
type Step =
  | { readonly kind: 'clear'; readonly out: number }
  | {
      readonly kind: 'days';
      readonly days: Rows;
      readonly base: number;
      readonly span: number;
      readonly stride: number;
      readonly out: number;
    }
  | {
      readonly kind: 'place';
      readonly days: Rows;
      readonly base: number;
      readonly table: number;
      readonly span: number;
      readonly spare: number;
      readonly out: number;
    }
  | { readonly kind: 'addBytes' | 'addShorts' | 'addInts'; readonly codes: Rows; readonly out: number }
  | { readonly kind: 'drop'; readonly slots: number; readonly mask: Rows; readonly spare: number; readonly out: number }
  | { readonly kind: 'sum' | 'least' | 'greatest'; readonly slots: number; readonly values: Rows; readonly out: number }
  | { readonly kind: 'count'; readonly slots: number; readonly out: number };

/** Scans as a list of loops over one block of rows, and the columns to copy in before. Plain data, for threads. */
export interface Program {
  readonly copies: readonly { readonly list: List; readonly at: number }[];
  readonly steps: readonly Step[];
}

/** Rows of a block: few enough that slots and copied columns stay in the first two caches. */
const BLOCK = 4096;

/** Rows that a thread claims at a time. */
const STRETCH = 64 * BLOCK;

/** Hands out the rows of a table stretch by stretch: the first row of the next one. Threads share a counter in memory. */
export type Claim = () => number;
export const ownClaim = (): Claim => {
  let next = 0;
  return () => {
    next += STRETCH;
    return next - STRETCH;
  };
};
export const sharedClaim = (memory: WebAssembly.Memory, at: number): Claim => {
  const counter = new Int32Array(memory.buffer, at, 1);
  return () => Atomics.add(counter, 0, STRETCH);
};

/** Runs a program over the rows it can claim. */
export const runProgram = (program: Program, kernel: Kernel, memory: WebAssembly.Memory, rows: number, claim: Claim): void => {
  const run = prepared(program, kernel, memory);
  for (let from = claim(); from < rows; from = claim()) run(from, Math.min(from + STRETCH, rows));
};

const prepared = ({ copies, steps }: Program, kernel: Kernel, memory: WebAssembly.Memory) => {
  const { buffer } = memory;
  const targets = copies.map(({ list, at }) => {
    const make = list.constructor as new (buffer: ArrayBufferLike, at: number, length: number) => Int32Array;
    return [list as Int32Array, new make(buffer, at, BLOCK)] as const;
  });
  return (from: number, to: number): void => {
    for (let start = from; start < to; start += BLOCK) {
      const n = Math.min(BLOCK, to - start);
      for (const [list, block] of targets) block.set(list.subarray(start, start + n));
      const at = (rows: Rows): number => rows.at + rows.step * start;
      for (const step of steps) {
        switch (step.kind) {
          case 'clear':
            new Int32Array(buffer, step.out, n).fill(0);
            break;
          case 'days':
            kernel.days(at(step.days), n, step.base, step.span, step.stride, step.out);
            break;
          case 'place':
            kernel.place(at(step.days), n, step.base, step.table, step.span, step.spare, step.out);
            break;
          case 'drop':
            kernel.drop(step.slots, at(step.mask), n, step.spare, step.out);
            break;
          case 'count':
            kernel.count(step.slots, n, step.out);
            break;
          case 'sum':
          case 'least':
          case 'greatest':
            kernel[step.kind](step.slots, at(step.values), n, step.out);
            break;
          default:
            kernel[step.kind](at(step.codes), n, step.out);
        }
      }
    }
  };
};

/** A program with the memory it works in, and how its answer is read out of it. */
export interface Compiled {
  readonly program: Program;
  readonly cells: () => ScanCells;
  readonly release: () => void;
}

/** Where a column's cells are read from; columns with one key are one list, so that it is looked into once. */
interface Reader {
  readonly key: string;
  readonly read: () => Float64Array;
}

const secondOf = (memory: WebAssembly.Memory, at: number, cells: number, first: 0 | 1): Float64Array => {
  const pairs = new Float64Array(memory.buffer, at, cells * 2);
  const out = new Float64Array(cells);
  for (let k = 0; k < cells; k++) out[k] = pairs[2 * k + first];
  return out;
};

const readAll = (readers: readonly (readonly Reader[])[]): ScanCells => {
  const known = new Map<string, Float64Array>();
  return readers.map((columns) =>
    columns.map(({ key, read }) => {
      const list = known.get(key) ?? read();
      known.set(key, list);
      return list;
    }),
  );
};

/**
 * Turns scans over the same rows into one program. For each block every row's slot is found first, then each aggregate
 * runs over the slots, so that any number of roles, aggregates and filters needs no loop of its own. What several of
 * them need is there once. Rows that do not count go to the spare slots.
 */
export const compileScans = (scans: readonly Scan[], room: Room): Compiled => {
  const { memory } = room;
  if (!memory) throw new Error('no kernel');
  const taken: (readonly [number, number])[] = [];
  const release = (): void => {
    for (const [at, bytes] of taken) room.release(at, bytes);
  };
  const take = (bytes: number): number => {
    const at = room.take(bytes);
    taken.push([at, bytes]);
    return at;
  };
  const copies: { list: List; at: number }[] = [];
  const steps: Step[] = [];
  const rowsOf = (list: List): Rows => {
    const inside = room.addressOf(list);
    if (inside !== undefined) return { at: inside, step: list.BYTES_PER_ELEMENT };
    let copy = copies.find((known) => known.list === list);
    if (!copy) {
      copy = { list, at: take(BLOCK * list.BYTES_PER_ELEMENT) };
      copies.push(copy);
    }
    return { at: copy.at, step: 0 };
  };
  const accumulators: (readonly [at: number, length: number, fill: number])[] = [];
  const accumulate = (length: number, fill: number): number => {
    const at = take(length * 8);
    accumulators.push([at, length, fill]);
    return at;
  };
  const tables: (readonly [at: number, table: Int32Array])[] = [];

  const scanReaders = ({ layout, columns }: Scan) => {
    const { days, base, slotOf, codes, mask } = layout;
    const [cells, width] = [cellCount(layout), slotCount(layout)];
    const all = take(BLOCK * 4);
    if (!days) steps.push({ kind: 'clear', out: all });
    else if (slotOf === 'daily') {
      steps.push({ kind: 'days', days: rowsOf(days), base, span: layout.segments, stride: layout.members, out: all });
    } else {
      const table = take(slotOf.byteLength);
      tables.push([table, slotOf]);
      steps.push({ kind: 'place', days: rowsOf(days), base, table, span: slotOf.length, spare: cells, out: all });
    }
    if (codes) {
      const kind = codes.BYTES_PER_ELEMENT === 1 ? 'addBytes' : codes.BYTES_PER_ELEMENT === 2 ? 'addShorts' : 'addInts';
      steps.push({ kind, codes: rowsOf(codes), out: all });
    }
    if (mask) steps.push({ kind: 'drop', slots: all, mask: rowsOf(mask), spare: cells, out: all });
    const masked = new Map<Uint8Array | undefined, number>([[undefined, all]]);
    const slotsOf = (own: Uint8Array | undefined): number => {
      const known = masked.get(own);
      if (known !== undefined || !own) return known ?? all;
      const out = take(BLOCK * 4);
      steps.push({ kind: 'drop', slots: all, mask: rowsOf(own), spare: cells, out });
      masked.set(own, out);
      return out;
    };
    /** Accumulators by what they hold: a sum and the count of its values come out of one loop. */
    const made: { kind: string; values: Float64Array | undefined; mask: Uint8Array | undefined; out: number }[] = [];
    const once = (kind: 'sum' | 'least' | 'greatest' | 'count', values: Float64Array | undefined, own: Uint8Array | undefined): number => {
      const known = made.find((entry) => entry.kind === kind && entry.values === values && entry.mask === own);
      if (known) return known.out;
      const out = kind === 'sum' ? accumulate(width * 2, 0) : accumulate(width, kind === 'count' ? 0 : Number.NaN);
      const slots = slotsOf(own);
      if (kind === 'count' || !values) steps.push({ kind: 'count', slots, out });
      else steps.push({ kind, slots, values: rowsOf(values), out });
      made.push({ kind, values, mask: own, out });
      return out;
    };
    const plain = (at: number): Reader => ({ key: `${at}`, read: () => new Float64Array(memory.buffer, at, cells).slice() });
    const everySecond = (at: number, first: 0 | 1): Reader => ({ key: `${at} ${first}`, read: () => secondOf(memory, at, cells, first) });
    const reader = ({ kind, values, mask: own }: ScanColumn): Reader => {
      if (kind === 'min') return plain(once('least', values, own));
      if (kind === 'max') return plain(once('greatest', values, own));
      // Rows come out of a sum as well, when there is one without blanks.
      const summed = values ?? columns.find((other) => other.kind === 'sum' && other.full && other.mask === own)?.values;
      return summed ? everySecond(once('sum', summed, own), kind === 'sum' ? 0 : 1) : plain(once('count', undefined, own));
    };
    return columns.map(reader);
  };

  try {
    const readers = scans.map(scanReaders);
    for (const [at, table] of tables) new Int32Array(memory.buffer, at, table.length).set(table);
    for (const [at, length, fill] of accumulators) new Float64Array(memory.buffer, at, length).fill(fill);
    return { program: { copies, steps }, cells: () => readAll(readers), release };
  } catch (error) {
    release();
    throw error;
  }
};
