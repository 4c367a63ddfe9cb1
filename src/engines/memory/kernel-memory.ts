// The memory that the kernel's loops run on, and who has which stretch of it.
import { KERNEL, SHARED_KERNEL } from './kernel.ts';
import { type List, type ListMaker, type Lists, PLAIN_LISTS } from './lists.ts';

/** The loops of kernel.wat. Arguments are byte addresses in the memory, counts and slots. */
export interface Kernel {
  readonly days: (days: number, n: number, base: number, span: number, stride: number, out: number) => void;
  readonly place: (days: number, n: number, base: number, table: number, span: number, spare: number, out: number) => void;
  readonly addBytes: (codes: number, n: number, slots: number) => void;
  readonly addShorts: (codes: number, n: number, slots: number) => void;
  readonly addInts: (codes: number, n: number, slots: number) => void;
  readonly drop: (slots: number, mask: number, n: number, spare: number, out: number) => void;
  readonly sum: (slots: number, values: number, n: number, pairs: number) => void;
  readonly count: (slots: number, n: number, counts: number) => void;
  readonly least: (slots: number, values: number, n: number, least: number) => void;
  readonly greatest: (slots: number, values: number, n: number, greatest: number) => void;
}

/**
 * Where a store's columns lie, and the memory in which its scans work. With a second thread both are one memory that
 * the threads share, and the kernel reads columns in place; without one, columns are ordinary lists and the kernel's
 * memory is small: blocks of rows are copied into it.
 */
export interface Room extends Lists {
  /** Byte address of a list that lies in the kernel's memory. */
  readonly addressOf: (list: List) => number | undefined;
  /** Undefined where there is no WebAssembly, or a page's policy forbids it. */
  readonly kernel: Kernel | undefined;
  readonly memory: WebAssembly.Memory | undefined;
  /** Room for a scan, 16-byte aligned; throws RangeError when there is no more. */
  readonly take: (bytes: number) => number;
  readonly release: (at: number, bytes: number) => void;
}

const PAGE = 65536;
const MOST_PAGES = 65536;
/** What loops may touch behind a list. */
const SLACK = 64;
const aligned = (bytes: number): number => Math.ceil((bytes + SLACK) / 64) * 64;

const compiled = new Map<string, WebAssembly.Module>();
/** The kernel over a memory; each thread makes its own. */
export const kernelOver = (memory: WebAssembly.Memory): Kernel => {
  const text = memory.buffer instanceof ArrayBuffer ? KERNEL : SHARED_KERNEL;
  let made = compiled.get(text);
  if (!made) {
    made = new WebAssembly.Module(Uint8Array.from(atob(text), (char) => char.charCodeAt(0)));
    compiled.set(text, made);
  }
  return new WebAssembly.Instance(made, { room: { memory } }).exports as unknown as Kernel;
};

/** Free stretches by address; the first that fits is taken, neighbours grow together again. */
const heapOf = (memory: WebAssembly.Memory) => {
  let free: { at: number; bytes: number }[] = [];
  let top = 0;
  return {
    take: (wanted: number): number => {
      const bytes = aligned(wanted);
      const found = free.find((stretch) => stretch.bytes >= bytes);
      if (found) {
        const { at } = found;
        found.at += bytes;
        found.bytes -= bytes;
        if (found.bytes === 0) free = free.filter((stretch) => stretch !== found);
        return at;
      }
      const missing = top + bytes - memory.buffer.byteLength;
      if (missing > 0) memory.grow(Math.ceil(missing / PAGE));
      top += bytes;
      return top - bytes;
    },
    release: (at: number, wanted: number): void => {
      free.push({ at, bytes: aligned(wanted) });
      free.sort((a, b) => a.at - b.at);
      free = free.reduce<typeof free>((merged, stretch) => {
        const last = merged[merged.length - 1];
        if (last && last.at + last.bytes === stretch.at) last.bytes += stretch.bytes;
        else merged.push(stretch);
        return merged;
      }, []);
    },
  };
};

const NO_HEAP = {
  take: (): number => {
    throw new RangeError('there is no memory to scan in');
  },
  release: () => undefined,
};

/** Columns as ordinary lists; blocks of rows are copied to the kernel. */
export const ownRoom = (): Room => {
  const lists = { ...PLAIN_LISTS, addressOf: () => undefined };
  try {
    const memory = new WebAssembly.Memory({ initial: 1, maximum: MOST_PAGES });
    return { ...lists, ...heapOf(memory), memory, kernel: kernelOver(memory) };
  } catch {
    return { ...lists, ...NO_HEAP, memory: undefined, kernel: undefined };
  }
};

/** Columns in memory that threads share. What no longer fits its 4 GiB lies in shared lists outside. */
export const sharedRoom = (): Room => {
  const memory = new WebAssembly.Memory({ initial: 1, maximum: MOST_PAGES, shared: true });
  const heap = heapOf(memory);
  const inside = new WeakSet<ArrayBufferLike>();
  const make: Room['make'] = (maker, length) => {
    const bytes = length * maker.BYTES_PER_ELEMENT;
    try {
      const at = heap.take(bytes);
      inside.add(memory.buffer);
      return new maker(memory.buffer, at, length);
    } catch {
      return new maker(new SharedArrayBuffer(bytes));
    }
  };
  return {
    make,
    own: (list) => {
      if (list.buffer instanceof SharedArrayBuffer) return list;
      const copy = make(list.constructor as ListMaker<typeof list>, list.length);
      copy.set(list as never);
      return copy;
    },
    addressOf: (list) => (inside.has(list.buffer) ? list.byteOffset : undefined),
    ...heap,
    memory,
    kernel: kernelOver(memory),
  };
};
