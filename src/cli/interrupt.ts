// Ctrl-C and SIGTERM: statements on a cluster run on without their client, so they are ended first.
import { constants } from 'node:os';

/** Milliseconds for the cluster to end the statements. */
const GRACE = 3000;

let controller: AbortController | undefined;

/** A signal that is aborted on SIGINT and SIGTERM. */
export const getInterruptSignal = (): AbortSignal => {
  if (controller) return controller.signal;
  const own = new AbortController();
  controller = own;
  for (const name of ['SIGINT', 'SIGTERM'] as const)
    process.once(name, () => {
      const end = (): never => process.exit(128 + constants.signals[name]);
      process.once('exit', () => {
        process.exitCode = 128 + constants.signals[name];
      });
      process.on(name, end);
      setTimeout(end, GRACE).unref();
      own.abort();
    });
  return own.signal;
};
