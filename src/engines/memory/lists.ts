/** Lists of numbers that columns, codes and masks are made of. */
export type List = Float64Array | Int32Array | Uint16Array | Uint8Array;
export interface ListMaker<T extends List> {
  readonly BYTES_PER_ELEMENT: number;
  new (length: number): T;
  new (buffer: ArrayBufferLike, at?: number, length?: number): T;
}

/** Makes the lists of numbers that columns are. */
export interface Lists {
  readonly make: <T extends List>(maker: ListMaker<T>, length: number) => T;
  /** A list that came from elsewhere, copied only where it has to be. */
  readonly own: <T extends List>(list: T) => T;
}

export const PLAIN_LISTS: Lists = { make: (maker, length) => new maker(length), own: (list) => list };
