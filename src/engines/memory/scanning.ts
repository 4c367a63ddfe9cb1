// How rows are scanned: small tables by a plain loop, others by the kernel, large ones by two threads.
import { PLAIN_LISTS } from './lists.ts';
import { type Scanning, scanPlainly } from './scan.ts';

const PLAIN: Scanning = { lists: PLAIN_LISTS, scan: async (scans) => scanPlainly(scans), close: () => undefined };

/** Fewer rows than this are scanned before the kernel would be there. */
const FEW_ROWS = 1000;

/** The way of scanning that suits tables of at most so many rows. */
export const scanningOf = async (rows: number): Promise<Scanning> =>
  rows < FEW_ROWS ? PLAIN : (await import('./seldom.ts')).kernelScanning(rows);
