// What small tables and simple measures do without, loaded together for the first that need it.

import { ownRoom } from './kernel-memory.ts';
import type { Scanning } from './scan.ts';
import { MANY_ROWS, scanAll } from './scan-all.ts';
import { secondThread } from './threads.ts';

export { events, seenKeys } from './sightings.ts';
export { tallies } from './tallies.ts';

/** Scans by the kernel; a second thread is worth it for many rows alone. */
export const kernelScanning = async (rows: number): Promise<Scanning> => {
  const second = rows < MANY_ROWS ? undefined : await secondThread();
  const helper = second?.helper;
  const room = second?.room ?? ownRoom();
  return { lists: room, scan: (scans) => scanAll(scans, room, helper), close: () => helper?.forget(room) };
};
