// How rows are scanned: small tables by a plain loop, others by the kernel, large ones by two threads.

import { type Lists, PLAIN_LISTS } from './lists.ts';
import type { Cells, Scan } from './scan.ts';
import { scanPlainly } from './scan.ts';

export interface Scanning {
  /** What columns are made of. */
  readonly lists: Lists;
  readonly scan: (scans: readonly Scan[]) => Promise<Cells>;
  readonly close: () => void;
}

const PLAIN: Scanning = { lists: PLAIN_LISTS, scan: async (scans) => scanPlainly(scans), close: () => undefined };

/** Fewer rows than this are scanned before the kernel would be there. */
const FEW_ROWS = 1000;

/** The way of scanning that suits tables of at most so many rows. */
export const scanningOf = async (rows: number): Promise<Scanning> =>
  rows < FEW_ROWS ? PLAIN : (await import('./seldom.ts')).kernelScanning(rows);
