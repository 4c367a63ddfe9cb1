import { DurchblickError } from '../../src/errors.ts';
import { readFileTable } from '../../src/files/table.ts';

/**
 * Reads a file many times, each time damaged in another way, and prints what became of it as JSON. Run as a process of its
 * own with little memory: what a damaged file asks for must never be given to it.
 */
const [path, countText, seedText] = process.argv.slice(2);
const { readFileSync } = await import('node:fs');
const whole = new Uint8Array(readFileSync(path));

/** Numbers that are the same for the same seed. */
const drawn = (seed: number): (() => number) => {
  let state = seed >>> 0;
  return () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return state / 2 ** 32;
  };
};
const random = drawn(Number(seedText));
const below = (most: number): number => Math.floor(random() * most);

/** Flips bits, cuts off, leaves out, doubles, blots out: what disks, networks and editors do. */
const damaged = (): Uint8Array => {
  const bytes = whole.slice();
  switch (below(6)) {
    case 0:
      return bytes.subarray(0, below(bytes.length));
    case 1: {
      const [from, length] = [below(bytes.length), below(64)];
      return Uint8Array.from([...bytes.subarray(0, from), ...bytes.subarray(from + length)]);
    }
    case 2: {
      const [from, length] = [below(bytes.length), below(64)];
      return Uint8Array.from([...bytes.subarray(0, from + length), ...bytes.subarray(from)]);
    }
    case 3: {
      const from = below(bytes.length);
      bytes.fill(below(2) === 0 ? 0 : 255, from, from + below(32));
      return bytes;
    }
    default:
      for (let k = 0; k <= below(4); k++) bytes[below(bytes.length)] ^= 1 << below(8);
      return bytes;
  }
};

const outcome: Record<string, number> = {};
const faults: string[] = [];
let slowest = 0;
for (let k = 0; k < Number(countText); k++) {
  const bytes = damaged();
  const start = performance.now();
  let code = 'read';
  try {
    const { columns } = await readFileTable(bytes, path.replace(/^.*\//, ''));
    for (const { values } of columns) for (let i = 0; i < values.length; i++) void values[i];
  } catch (error) {
    code = error instanceof DurchblickError ? error.code : 'fault';
    if (code === 'fault') faults.push(`${(error as Error).name}: ${(error as Error).message}`.slice(0, 200));
  }
  outcome[code] = (outcome[code] ?? 0) + 1;
  slowest = Math.max(slowest, performance.now() - start);
}
process.stdout.write(JSON.stringify({ outcome, slowest, faults: [...new Set(faults)].slice(0, 5), memory: process.memoryUsage().rss }));
