// How a program that runs on and on is, over HTTP, for this machine alone.
import type { FastifyInstance } from 'fastify';
import { loadFastify } from './load.ts';
import { METRICS_TYPE } from './metrics.ts';

export interface StatusOptions {
  readonly ready: () => Readonly<Record<string, unknown>>;
  readonly metrics: () => string;
}

/** `/live`, `/ready` and `/metrics`, not yet listening. */
export const statusServer = async ({ ready, metrics }: StatusOptions): Promise<FastifyInstance> => {
  const app = (await loadFastify())({ forceCloseConnections: 'idle' });
  app.get('/live', async () => ({ live: true }));
  app.get('/ready', async () => ready());
  app.get('/metrics', async (_, reply) => {
    reply.type(METRICS_TYPE);
    return metrics();
  });
  return app;
};
