// Files packed by gzip, as they are (RFC 1952).
import { DurchblickError } from '../errors.ts';
import { tooLarge } from './bytes.ts';

/** No table in memory is larger than this when it is unpacked. */
const MOST_BYTES = 2 ** 30;

const GZIP = /\.gz$/i;
export const isPacked = (name: string): boolean => GZIP.test(name);
/** The name of what is inside. */
export const unpackedName = (name: string): string => name.replace(GZIP, '');

/** Unpacks bytes; what unpacks to more than memory holds is refused before it is all there. */
export const unpackGzip = async (bytes: Uint8Array, name: string): Promise<Uint8Array> => {
  const parts: Uint8Array[] = [];
  let size = 0;
  try {
    const stream = new Blob([bytes as Uint8Array<ArrayBuffer>]).stream().pipeThrough(new DecompressionStream('gzip'));
    for (const reader = stream.getReader(); ; ) {
      const { done, value } = await reader.read();
      if (done) break;
      size += value.byteLength;
      if (size > MOST_BYTES) {
        await reader.cancel();
        throw tooLarge(name, `more than ${MOST_BYTES / 2 ** 20} MiB when unpacked`);
      }
      parts.push(value);
    }
  } catch (error) {
    if (error instanceof DurchblickError) throw error;
    throw new DurchblickError('bad-file', `${name} is not packed by gzip, or is damaged`, {
      kind: 'data',
      hint: 'It must be what its ending says.',
    });
  }
  const all = new Uint8Array(size);
  let at = 0;
  for (const part of parts) {
    all.set(part, at);
    at += part.byteLength;
  }
  return all;
};
