// Flat buffers, held against their bytes before a library believes what they say of themselves.

/** What stands in a slot of a table: other things are plain values, which are where they are. */
export type Slot =
  | { readonly is: 'table'; readonly of: () => FlatTable }
  | { readonly is: 'tables'; readonly of: () => FlatTable }
  /** A list of things of so many bytes each; a text is one of one byte. */
  | { readonly is: 'list'; readonly bytes: number }
  /** A table whose kind is the number in another slot. */
  | { readonly is: 'one-of'; readonly kind: number; readonly of: Readonly<Record<number, () => FlatTable>> };

/** Slots of a table by their number. */
export type FlatTable = Readonly<Record<number, Slot>>;

const fail = (): never => {
  throw new Error('it is damaged (a part of its description lies outside of it)');
};

/** More tables than any schema or batch has: shared parts could otherwise be gone through without end. */
const MOST_TABLES = 200_000;
const DEEPEST = 64;

/** Where the value of a slot stands; undefined where the table does not have it. */
export type Find = (slot: number) => number | undefined;

/** Goes through a table and all that it points to. Answers where the slots of the root are. */
export const checkFlat = (bytes: Uint8Array, root: FlatTable): { readonly view: DataView; readonly find: Find } => {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  let tables = 0;
  const within = (at: number, length: number): number => (at >= 0 && at + length <= bytes.length ? at : fail());
  const u32 = (at: number): number => view.getUint32(within(at, 4), true);
  const target = (at: number): number => within(at + u32(at), 4);
  const slotsOf = (at: number): Find => {
    const slots = within(at - view.getInt32(within(at, 4), true), 4);
    const size = view.getUint16(slots, true);
    within(slots, size);
    const length = view.getUint16(slots + 2, true);
    within(at, length);
    return (slot) => {
      const offset = 4 + 2 * slot + 2 <= size ? view.getUint16(slots + 4 + 2 * slot, true) : 0;
      return offset === 0 ? undefined : within(at + offset, 1);
    };
  };
  const listAt = (at: number, each: number): { readonly first: number; readonly count: number } => {
    const start = target(at);
    const count = u32(start);
    within(start + 4, count * each);
    return { first: start + 4, count };
  };
  const table = (at: number, is: FlatTable, depth: number): Find => {
    if (++tables > MOST_TABLES || depth > DEEPEST) fail();
    const find = slotsOf(at);
    for (const [slot, what] of Object.entries(is)) {
      const there = find(Number(slot));
      if (there === undefined) continue;
      if (what.is === 'list') listAt(there, what.bytes);
      else if (what.is === 'table') table(target(there), what.of(), depth + 1);
      else if (what.is === 'tables') {
        const { first, count } = listAt(there, 4);
        for (let k = 0; k < count; k++) table(target(first + 4 * k), what.of(), depth + 1);
      } else {
        const kind = find(what.kind);
        const of = kind === undefined ? undefined : what.of[view.getUint8(kind)];
        table(target(there), of?.() ?? {}, depth + 1);
      }
    }
    return find;
  };
  return { view, find: table(target(0), root, 0) };
};
