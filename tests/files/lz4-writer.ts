/** Packs bytes as one LZ4 frame, as writers of Arrow do: greedy matches of four bytes and more. */

const hash32 = (bytes: Uint8Array): number => {
  // xxHash32 of up to 15 bytes, which is all that a frame's header has.
  const [P1, P2, P3, P4, P5] = [2654435761, 2246822519, 3266489917, 668265263, 374761393];
  let hash = (P5 + bytes.length) >>> 0;
  const rotate = (x: number, by: number): number => ((x << by) | (x >>> (32 - by))) >>> 0;
  let at = 0;
  for (; at + 4 <= bytes.length; at += 4) {
    const word = (bytes[at] | (bytes[at + 1] << 8) | (bytes[at + 2] << 16) | (bytes[at + 3] << 24)) >>> 0;
    hash = Math.imul(rotate((hash + Math.imul(word, P3)) >>> 0, 17), P4) >>> 0;
  }
  for (; at < bytes.length; at++) hash = Math.imul(rotate((hash + Math.imul(bytes[at], P5)) >>> 0, 11), P1) >>> 0;
  hash = Math.imul(hash ^ (hash >>> 15), P2) >>> 0;
  hash = Math.imul(hash ^ (hash >>> 13), P3) >>> 0;
  return (hash ^ (hash >>> 16)) >>> 0;
};

const length = (out: number[], rest: number): void => {
  let left = rest;
  for (; left >= 255; left -= 255) out.push(255);
  out.push(left);
};

const block = (bytes: Uint8Array): Uint8Array => {
  const out: number[] = [];
  const seen = new Map<number, number>();
  let [at, from] = [0, 0];
  const emit = (literals: Uint8Array, match: number, offset: number): void => {
    const code = match === 0 ? 0 : Math.min(match - 4, 15);
    out.push((Math.min(literals.length, 15) << 4) | code);
    if (literals.length >= 15) length(out, literals.length - 15);
    for (const byte of literals) out.push(byte);
    if (match === 0) return;
    out.push(offset & 255, offset >> 8);
    if (code === 15) length(out, match - 4 - 15);
  };
  while (at + 12 < bytes.length) {
    const key = (bytes[at] | (bytes[at + 1] << 8) | (bytes[at + 2] << 16) | (bytes[at + 3] << 24)) >>> 0;
    const before = seen.get(key);
    seen.set(key, at);
    if (before === undefined || at - before > 65535) {
      at++;
      continue;
    }
    let match = 4;
    while (at + match < bytes.length - 5 && bytes[at + match] === bytes[before + match]) match++;
    emit(bytes.subarray(from, at), match, at - before);
    at += match;
    from = at;
  }
  emit(bytes.subarray(from), 0, 0);
  return Uint8Array.from(out);
};

export const packLz4 = (bytes: Uint8Array): Uint8Array => {
  // Version 1, independent blocks, no checksums of content; blocks of at most 4 MiB.
  const descriptor = Uint8Array.of(0x60, 0x70);
  const packed = block(bytes);
  const stored = packed.length < bytes.length ? packed : bytes;
  const size = (stored.length | (stored === packed ? 0 : 0x80000000)) >>> 0;
  const out = new Uint8Array(7 + 4 + stored.length + 4);
  out.set([0x04, 0x22, 0x4d, 0x18, ...descriptor, (hash32(descriptor) >> 8) & 255]);
  new DataView(out.buffer).setUint32(7, size, true);
  out.set(stored, 11);
  return out;
};
