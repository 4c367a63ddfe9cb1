// One look at the bytes of a CSV file that is plain, as most are: enough to let a faster reader have it. All others are for csv.ts.
import { csvStart, type Separator } from './csv.ts';
import { LOOK } from './csv-look-kernel.ts';

/** How the fields of a column are written: any text, a day `YYYY-MM-DD`, a whole number without zeros in front, a decimal with a point. */
export const FIELD_FORMS = ['any', 'day', 'whole', 'decimal'] as const;
export type FieldForm = (typeof FIELD_FORMS)[number];

export interface PlainCsv {
  readonly separator: Separator;
  readonly header: readonly string[];
  /** Records behind the header. */
  readonly records: number;
  readonly ends: 'lf' | 'crlf';
  /** Of each column whether some field has another form than expected, the most decimals of any, and the most without zeros at their end. */
  readonly fields: readonly {
    readonly form: FieldForm;
    readonly isOther: boolean;
    readonly decimals: number;
    readonly needed: number;
  }[];
}

interface Kernel {
  readonly memory: { readonly buffer: ArrayBuffer; readonly grow: (pages: number) => number };
  readonly columns: { readonly value: number };
  readonly separator: { value: number };
  readonly width: { value: number };
  readonly records: { readonly value: number };
  readonly returns: { readonly value: number };
  readonly look: (at: number, end: number) => number;
}

const PAGE = 65536;
const [LINE_FEED, RETURN] = [10, 13];
/** Bytes that are looked at together, the beginning of a record that goes on behind them included. Longer records are not plain. */
const ROOM = 16 * 2 ** 20;
/** Sixteen bytes are read at a time, up to so many behind the last. */
const SLACK = PAGE;
/** More columns than this no kernel has room for. */
const MOST_COLUMNS = 8000;

const kernelOf = (): Kernel => {
  const bytes = Uint8Array.from(atob(LOOK), (letter) => letter.charCodeAt(0));
  const kernel = new WebAssembly.Instance(new WebAssembly.Module(bytes)).exports as unknown as Kernel;
  kernel.memory.grow(Math.ceil((ROOM + SLACK) / PAGE));
  return kernel;
};

/**
 * Looks at a file in pieces. `formsOf` says which form the fields of each column are expected to have, told the header and the
 * first bytes. Undefined where the file is not plain, which is no fault: csv.ts decides.
 */
export const lookAtPlainCsv = async (
  pieces: AsyncIterable<Uint8Array>,
  formsOf: (header: readonly string[], head: Uint8Array, separator: Separator) => readonly FieldForm[],
): Promise<PlainCsv | undefined> => {
  const kernel = kernelOf();
  const memory = new Uint8Array(kernel.memory.buffer);
  const base = 2 * PAGE;
  let [left, isHeader] = [0, true];
  let header: readonly string[] = [];
  let forms: readonly FieldForm[] = [];
  let separator: Separator = ',';
  let headerReturns = 0;
  const begin = (end: number): number | undefined => {
    const head = memory.slice(base, end);
    const start = csvStart(head);
    if (!start || start.header.length > MOST_COLUMNS) return undefined;
    ({ header, separator } = start);
    headerReturns = start.ends === 'crlf' ? 1 : 0;
    forms = formsOf(header, head, separator);
    kernel.separator.value = separator.charCodeAt(0);
    kernel.width.value = header.length;
    forms.forEach((form, k) => {
      memory[kernel.columns.value + 4 * k] = FIELD_FORMS.indexOf(form);
    });
    isHeader = false;
    return base + start.length;
  };
  const look = (end: number): boolean => {
    const from = isHeader ? begin(end) : base;
    if (from === undefined) return false;
    const next = kernel.look(from, end);
    if (next < 0) return false;
    memory.copyWithin(base, next, end);
    left = end - next;
    return true;
  };
  for await (const piece of pieces)
    for (let at = 0; at < piece.length; ) {
      const room = Math.min(piece.length - at, ROOM - left);
      if (room === 0) return undefined;
      memory.set(piece.subarray(at, at + room), base + left);
      at += room;
      if (!look(base + left + room)) return undefined;
    }
  // The last record may have no line end.
  if (isHeader) return undefined;
  if (left > 0) {
    if (memory[base + left - 1] === RETURN) return undefined;
    memory[base + left] = LINE_FEED;
    if (headerReturns === 1) return undefined;
    if (!look(base + left + 1) || left > 0) return undefined;
  }
  const { value: records } = kernel.records;
  const { value: returns } = kernel.returns;
  if (returns !== 0 && returns !== records) return undefined;
  if (records > 0 && headerReturns !== (returns > 0 ? 1 : 0)) return undefined;
  const fields = forms.map((form, k) => {
    const at = kernel.columns.value + 4 * k;
    return { form, isOther: memory[at + 2] === 1, decimals: memory[at + 1], needed: memory[at + 3] };
  });
  return { separator, header, records, ends: headerReturns === 1 ? 'crlf' : 'lf', fields };
};
