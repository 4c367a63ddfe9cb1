// Scans written down as loops of the kernel, run block by block over the rows.
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

/** A program while it is made: its parts, and what they take of the kernel's memory. */
interface Making {
  readonly memory: WebAssembly.Memory;
  readonly room: Room;
  readonly taken: (readonly [at: number, bytes: number])[];
  readonly copies: { list: List; at: number }[];
  readonly steps: Step[];
  readonly accumulators: (readonly [at: number, length: number, fill: number])[];
  readonly tables: (readonly [at: number, table: Int32Array])[];
}

const take = ({ room, taken }: Making, bytes: number): number => {
  const at = room.take(bytes);
  taken.push([at, bytes]);
  return at;
};

const rowsOf = (making: Making, list: List): Rows => {
  const { room, copies } = making;
  const inside = room.addressOf(list);
  if (inside !== undefined) return { at: inside, step: list.BYTES_PER_ELEMENT };
  let copy = copies.find((known) => known.list === list);
  if (!copy) {
    copy = { list, at: take(making, BLOCK * list.BYTES_PER_ELEMENT) };
    copies.push(copy);
  }
  return { at: copy.at, step: 0 };
};

const accumulate = (making: Making, length: number, fill: number): number => {
  const at = take(making, length * 8);
  making.accumulators.push([at, length, fill]);
  return at;
};

/** Steps that find the slot of every row of a scan; where it stands. */
const placeRows = (making: Making, { days, base, slotOf, codes, mask, segments, members }: Scan['layout'], cells: number): number => {
  const { steps, tables } = making;
  const all = take(making, BLOCK * 4);
  if (!days) steps.push({ kind: 'clear', out: all });
  else if (slotOf === 'daily') {
    steps.push({ kind: 'days', days: rowsOf(making, days), base, span: segments, stride: members, out: all });
  } else {
    const table = take(making, slotOf.byteLength);
    tables.push([table, slotOf]);
    steps.push({ kind: 'place', days: rowsOf(making, days), base, table, span: slotOf.length, spare: cells, out: all });
  }
  if (codes) {
    const kind = codes.BYTES_PER_ELEMENT === 1 ? 'addBytes' : codes.BYTES_PER_ELEMENT === 2 ? 'addShorts' : 'addInts';
    steps.push({ kind, codes: rowsOf(making, codes), out: all });
  }
  if (mask) steps.push({ kind: 'drop', slots: all, mask: rowsOf(making, mask), spare: cells, out: all });
  return all;
};

/** Steps that run a scan's aggregates over the slots of its rows, and how its cells are read. */
const scanReaders = (making: Making, { layout, columns }: Scan): Reader[] => {
  const { memory, steps } = making;
  const [cells, width] = [cellCount(layout), slotCount(layout)];
  const all = placeRows(making, layout, cells);
  const masked = new Map<Uint8Array | undefined, number>([[undefined, all]]);
  const slotsOf = (own: Uint8Array | undefined): number => {
    const known = masked.get(own);
    if (known !== undefined || !own) return known ?? all;
    const out = take(making, BLOCK * 4);
    steps.push({ kind: 'drop', slots: all, mask: rowsOf(making, own), spare: cells, out });
    masked.set(own, out);
    return out;
  };
  /** Accumulators by what they hold: a sum and the count of its values come out of one loop. */
  const made: { kind: string; values: Float64Array | undefined; mask: Uint8Array | undefined; out: number }[] = [];
  const once = (kind: 'sum' | 'least' | 'greatest' | 'count', values: Float64Array | undefined, own: Uint8Array | undefined): number => {
    const known = made.find((entry) => entry.kind === kind && entry.values === values && entry.mask === own);
    if (known) return known.out;
    const out = kind === 'sum' ? accumulate(making, width * 2, 0) : accumulate(making, width, kind === 'count' ? 0 : Number.NaN);
    const slots = slotsOf(own);
    if (kind === 'count' || !values) steps.push({ kind: 'count', slots, out });
    else steps.push({ kind, slots, values: rowsOf(making, values), out });
    made.push({ kind, values, mask: own, out });
    return out;
  };
  const plain = (at: number): Reader => ({ key: `${at}`, read: () => new Float64Array(memory.buffer, at, cells).slice() });
  const everySecond = (at: number, first: 0 | 1): Reader => ({ key: `${at} ${first}`, read: () => secondOf(memory, at, cells, first) });
  return columns.map(({ kind, values, mask: own }: ScanColumn): Reader => {
    if (kind === 'min') return plain(once('least', values, own));
    if (kind === 'max') return plain(once('greatest', values, own));
    // Rows come out of a sum as well, when there is one without blanks.
    const summed = values ?? columns.find((other) => other.kind === 'sum' && other.full && other.mask === own)?.values;
    return summed ? everySecond(once('sum', summed, own), kind === 'sum' ? 0 : 1) : plain(once('count', undefined, own));
  });
};

/**
 * Turns scans over the same rows into one program. For each block every row's slot is found first, then each aggregate
 * runs over the slots, so that any number of roles, aggregates and filters needs no loop of its own. What several of
 * them need is there once. Rows that do not count go to the spare slots.
 */
export const compileScans = (scans: readonly Scan[], room: Room): Compiled => {
  const { memory } = room;
  if (!memory) throw new Error('no kernel');
  const making: Making = { memory, room, taken: [], copies: [], steps: [], accumulators: [], tables: [] };
  const release = (): void => {
    for (const [at, bytes] of making.taken) room.release(at, bytes);
  };
  try {
    const readers = scans.map((scan) => scanReaders(making, scan));
    for (const [at, table] of making.tables) new Int32Array(memory.buffer, at, table.length).set(table);
    for (const [at, length, fill] of making.accumulators) new Float64Array(memory.buffer, at, length).fill(fill);
    return { program: { copies: making.copies, steps: making.steps }, cells: () => readAll(readers), release };
  } catch (error) {
    release();
    throw error;
  }
};
