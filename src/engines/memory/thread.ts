import { parentPort } from 'node:worker_threads';
import { type PlainSum, sumStretch } from './sums.ts';

/** The second thread: sums the rows it is told to, in the memory it shares with the first. */
parentPort?.on('message', ({ id, plain, from, to }: { id: number; plain: PlainSum[]; from: number; to: number }) => {
  parentPort?.postMessage({ id, sums: sumStretch(plain, from, to) });
});
