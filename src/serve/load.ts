// The package that speaks HTTP.
import { DurchblickError } from '../errors.ts';

export const loadFastify = async (): Promise<typeof import('fastify').default> =>
  (
    await import('fastify').catch((cause: unknown) => {
      throw new DurchblickError('no-package', 'serving needs the packages fastify, @fastify/accepts and @fastify/compress', {
        kind: 'engine',
        hint: 'npm install fastify @fastify/accepts @fastify/compress',
        cause,
      });
    })
  ).default;
