// Runs scans over all rows, with a second thread where they are many.
import { DurchblickError } from '../../errors.ts';
import type { Kernel, Room } from './kernel-memory.ts';
import { merge, type Scan, type ScanCells, scanPlainly } from './scan.ts';
import { type Compiled, compileScans, ownClaim, type Program, runProgram, sharedClaim } from './scan-program.ts';

/** A second thread that runs a program in the memory it shares with the first (threads.ts). */
export interface Helper {
  /** Runs over the rows that can be claimed with the counter at an address. */
  readonly run: (program: Program, room: Room, rows: number, counter: number) => Promise<void>;
  /** The store of a room has closed. */
  readonly forget: (room: Room) => void;
}

/** Fewer rows than this are not worth a thread. */
export const MANY_ROWS = 1 << 20;

/**
 * Runs scans, all that are over the same rows in one pass, since what costs most is reading them; with a helper two
 * threads take stretches of rows in turn. Answers the cells of each column of each scan.
 */
export const scanAll = async (scans: readonly Scan[], room: Room, helper: Helper | undefined): Promise<ScanCells> => {
  const { kernel, memory } = room;
  if (!kernel || !memory) return scanPlainly(scans);
  const results: (readonly Float64Array[])[] = [];
  for (const rows of new Set(scans.map(({ layout }) => layout.rows))) {
    const among = scans.flatMap(({ layout }, k) => (layout.rows === rows ? [k] : []));
    const same = among.map((k) => scans[k]);
    const cells = await scanTogether(same, rows, room, kernel, memory, helper);
    among.forEach((k, at) => {
      results[k] = cells[at];
    });
  }
  return results;
};

const scanTogether = async (
  scans: readonly Scan[],
  rows: number,
  room: Room,
  kernel: Kernel,
  memory: WebAssembly.Memory,
  helper: Helper | undefined,
): Promise<ScanCells> => {
  const own = compiled(scans, room);
  // Who adds up which rows is left to chance, so inexact sums stay with one thread: the same every time (R3).
  const exact = scans.every(({ columns }) => columns.every((column) => column.exact));
  if (!helper || rows < MANY_ROWS || !exact) {
    try {
      runProgram(own.program, kernel, memory, rows, ownClaim());
      return own.cells();
    } finally {
      own.release();
    }
  }
  const other = compiled(scans, room);
  const counter = room.take(4);
  try {
    new Int32Array(memory.buffer, counter, 1)[0] = 0;
    const theirs = helper.run(other.program, room, rows, counter);
    runProgram(own.program, kernel, memory, rows, sharedClaim(memory, counter));
    await theirs;
    const cells = own.cells();
    merge(scans, cells, other.cells());
    return cells;
  } finally {
    own.release();
    other.release();
    room.release(counter, 4);
  }
};

const compiled = (scans: readonly Scan[], room: Room): Compiled => {
  try {
    return compileScans(scans, room);
  } catch (error) {
    if (!(error instanceof RangeError)) throw error;
    throw new DurchblickError('too-many-cells', 'the question needs more cells than memory holds', {
      kind: 'engine',
      hint: 'Ask by a coarser unit, for a shorter range, or for fewer members.',
    });
  }
};
