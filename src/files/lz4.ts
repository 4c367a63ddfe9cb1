// LZ4 frames, as Arrow files are packed in; the npm packages for it are binaries or unmaintained.

const MAGIC = 0x184d2204;
/** What a block may unpack to, by the code in the frame's descriptor. */
const BLOCK_SIZES: Readonly<Record<number, number>> = { 4: 65_536, 5: 262_144, 6: 1_048_576, 7: 4_194_304 };
const LEAST_MATCH = 4;

/** Bytes that grow as they are written; later blocks refer back into earlier ones. */
interface Output {
  bytes: Uint8Array;
  length: number;
}

const fail = (what: string): never => {
  throw new Error(`bad LZ4 frame: ${what}`);
};

const room = (out: Output, more: number, most: number): void => {
  const needed = out.length + more;
  if (needed > most) fail('it unpacks to more than it says');
  if (needed <= out.bytes.length) return;
  const grown = new Uint8Array(Math.min(Math.max(needed, out.bytes.length * 2, 4096), most));
  grown.set(out.bytes.subarray(0, out.length));
  out.bytes = grown;
};

/** Unpacks one block: runs of literals, and matches that repeat what was unpacked before. */
const unpackBlock = (block: Uint8Array, out: Output, most: number): void => {
  let at = 0;
  const longer = (length: number): number => {
    let total = length;
    for (let byte = 255; byte === 255; total += byte) {
      if (at >= block.length) fail('a length is cut off');
      byte = block[at++];
    }
    return total;
  };
  while (at < block.length) {
    const token = block[at++];
    const literals = token >> 4 === 15 ? longer(15) : token >> 4;
    if (at + literals > block.length) fail('literals are cut off');
    room(out, literals, most);
    out.bytes.set(block.subarray(at, at + literals), out.length);
    out.length += literals;
    at += literals;
    // The last sequence of a block has literals only.
    if (at === block.length) return;
    if (at + 2 > block.length) fail('a match is cut off');
    const offset = block[at] | (block[at + 1] << 8);
    at += 2;
    if (offset === 0 || offset > out.length) fail('a match lies before the start');
    const length = LEAST_MATCH + ((token & 15) === 15 ? longer(15) : token & 15);
    room(out, length, most);
    const { bytes } = out;
    for (let k = 0; k < length; k++, out.length++) bytes[out.length] = bytes[out.length - offset];
  }
};

/** Unpacks a frame that holds no more than `most` bytes; checksums are not looked at. */
export const unpackLz4 = (frame: Uint8Array, most: number): Uint8Array => {
  const view = new DataView(frame.buffer, frame.byteOffset, frame.byteLength);
  if (frame.length < 7 || view.getUint32(0, true) !== MAGIC) fail('it does not begin as one');
  const flags = frame[4];
  const blockSize = BLOCK_SIZES[(frame[5] >> 4) & 7] ?? fail('its block size is unknown');
  if (flags >> 6 !== 1) fail('its version is unknown');
  const [blockChecksum, contentSize, dictionary] = [flags & 16 ? 4 : 0, flags & 8 ? 8 : 0, flags & 1 ? 4 : 0];
  if (dictionary > 0) fail('it needs a dictionary');
  const out: Output = { bytes: new Uint8Array(Math.min(most, blockSize)), length: 0 };
  for (let at = 7 + contentSize; ; ) {
    if (at + 4 > frame.length) fail('a block is cut off');
    const size = view.getUint32(at, true);
    at += 4;
    if (size === 0) return out.bytes.subarray(0, out.length);
    const length = size & 0x7fffffff;
    if (at + length > frame.length) fail('a block is cut off');
    const block = frame.subarray(at, at + length);
    if (size >>> 31 === 1) {
      room(out, length, most);
      out.bytes.set(block, out.length);
      out.length += length;
    } else unpackBlock(block, out, most);
    at += length + blockChecksum;
  }
};
