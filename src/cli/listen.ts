// Where a server listens.
import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { DurchblickError } from '../errors.ts';

export const wholeNumber = (text: string, option: string, least: number, most: number): number => {
  const number = /^\d{1,9}$/.test(text) ? Number(text) : Number.NaN;
  if (number >= least && number <= most) return number;
  throw new DurchblickError('bad-option', `${option} is "${text}"`, { hint: `It takes a whole number from ${least} to ${most}.` });
};

interface Listening {
  readonly listen: (at: { readonly host: string; readonly port: number }) => Promise<string>;
  readonly close: () => PromiseLike<unknown>;
}

/** Begins to listen, and says at which address; a server that cannot is closed. */
export const listenAt = (server: Listening, { host, port }: { readonly host: string; readonly port: number }): Promise<string> =>
  server.listen({ host, port }).catch(async (error: unknown) => {
    await server.close();
    const { code } = error as { code?: string };
    throw new DurchblickError('cannot-listen', `cannot listen at ${host}:${port} (${code ?? (error as Error).message})`, {
      kind: 'engine',
      hint:
        code === 'EADDRINUSE' ? 'Another program is there; take another --port, or 0 for a free one.' : 'Name another --host or --port.',
    });
  });

/** A plain server, as `listenAt` takes one; resolves to its address. */
export const listening = ({ server, closeNow }: { readonly server: Server; readonly closeNow: () => void }): Listening => ({
  listen: ({ host, port }) =>
    new Promise((done, fail) => {
      server.once('error', fail);
      server.listen({ host, port }, () => {
        const { port: found } = server.address() as AddressInfo;
        done(`http://${host.includes(':') ? `[${host}]` : host}:${found}`);
      });
    }),
  close: async () => closeNow(),
});
