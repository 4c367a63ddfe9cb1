import { DurchblickError } from '../errors.ts';

/** What is used of an Apache Arrow table; any version's will do. */
export interface ArrowTable {
  readonly numRows: number;
  readonly schema: { readonly fields: readonly { readonly name: string; readonly type: unknown }[] };
  readonly getChild: (name: string) => ArrowVector | null;
}

export interface ArrowVector {
  readonly toArray: () => ArrayLike<unknown>;
  readonly nullCount: number;
  readonly get: (i: number) => unknown;
}

/** Reads an Arrow file or stream. */
export const readArrow = async (bytes: Uint8Array, name: string): Promise<ArrowTable> => {
  const arrow = await import('apache-arrow').catch((error: Error) => {
    throw new DurchblickError('no-package', `${name} needs apache-arrow`, {
      kind: 'engine',
      hint: `Install it: npm install apache-arrow. (${error.message.split('\n')[0]})`,
    });
  });
  try {
    return arrow.tableFromIPC(bytes) as unknown as ArrowTable;
  } catch (error) {
    throw new DurchblickError('bad-file', `${name} is no Arrow file: ${(error as Error).message}`, { kind: 'data' });
  }
};
