// One look at the bytes of a CSV file that is plain, as most are: enough to let a faster reader have it. All others are for csv.ts.
import { type CsvStart, csvStart, type Separator } from './csv.ts';
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
  readonly records: { value: number };
  readonly returns: { value: number };
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

/** Undefined where there is none to be had: a page may forbid assembled code, and memory may be short. */
const newKernel = (): Kernel | undefined => {
  try {
    const bytes = Uint8Array.from(atob(LOOK), (letter) => letter.charCodeAt(0));
    const kernel = new WebAssembly.Instance(new WebAssembly.Module(bytes)).exports as unknown as Kernel;
    kernel.memory.grow(Math.ceil((ROOM + SLACK) / PAGE));
    return kernel;
  } catch {
    return undefined;
  }
};

/** Kernels that nobody uses: each has a memory of its own, of which there may not be many. */
const idle: Kernel[] = [];

/** Something done with a kernel that nobody else uses meanwhile; undefined where there is none. */
const withKernel = <T>(run: (kernel: Kernel) => T): T | undefined => {
  const kernel = idle.pop() ?? newKernel();
  if (!kernel) return undefined;
  kernel.records.value = 0;
  kernel.returns.value = 0;
  const { value: at } = kernel.columns;
  new Uint8Array(kernel.memory.buffer).fill(0, at, at + 4 * MOST_COLUMNS);
  const back = (): void => void idle.push(kernel);
  const found = run(kernel);
  if (found instanceof Promise) found.then(back, back);
  else back();
  return found;
};

/** Whether some bytes are a plain file, and how many records it has; undefined where they are not, or nothing can look at them so. */
export const lookAtBytes = (bytes: Uint8Array): Pick<PlainCsv, 'separator' | 'records' | 'ends'> | undefined => {
  const start = csvStart(bytes);
  if (!start || start.header.length > MOST_COLUMNS) return undefined;
  const { separator, ends, header, length } = start;
  return withKernel((kernel) => {
    const looking = lookingFrom(kernel, separator, header.length);
    return looking.push(bytes.subarray(length)) && looking.end(ends) ? { separator, ends, records: kernel.records.value } : undefined;
  });
};

/**
 * Looks at a file in pieces. `formsOf` says which form the fields of each column are expected to have, told the header and the
 * first bytes. Undefined where the file is not plain, which is no fault: csv.ts decides.
 */
export const lookAtPlainCsv = (
  pieces: AsyncIterable<Uint8Array>,
  formsOf: (header: readonly string[], head: Uint8Array, separator: Separator) => readonly FieldForm[],
): Promise<PlainCsv | undefined> => withKernel((kernel) => lookWith(kernel, pieces, formsOf)) ?? Promise.resolve(undefined);

const lookWith = async (
  kernel: Kernel,
  pieces: AsyncIterable<Uint8Array>,
  formsOf: Parameters<typeof lookAtPlainCsv>[1],
): Promise<PlainCsv | undefined> => {
  let start: CsvStart | undefined;
  let looking: Looking | undefined;
  let forms: readonly FieldForm[] = [];
  for await (const piece of pieces) {
    let own = piece;
    if (!looking) {
      start = csvStart(piece);
      if (!start || start.header.length > MOST_COLUMNS) return undefined;
      forms = formsOf(start.header, piece, start.separator);
      looking = lookingFrom(kernel, start.separator, start.header.length, forms);
      own = piece.subarray(start.length);
    }
    if (!looking.push(own)) return undefined;
  }
  if (!start || !looking?.end(start.ends)) return undefined;
  const memory = new Uint8Array(kernel.memory.buffer);
  const fields = forms.map((form, k) => {
    const at = kernel.columns.value + 4 * k;
    return { form, isOther: memory[at + 2] === 1, decimals: memory[at + 1], needed: memory[at + 3] };
  });
  const { separator, header, ends } = start;
  return { separator, header, records: kernel.records.value, ends, fields };
};

/** A look under way, behind the header. */
interface Looking {
  /** False as soon as the file is not plain. */
  readonly push: (piece: Uint8Array) => boolean;
  /** The file is over; its lines end as the header's does. */
  readonly end: (ends: CsvStart['ends']) => boolean;
}

const lookingFrom = (kernel: Kernel, separator: Separator, width: number, forms: readonly FieldForm[] = []): Looking => {
  const memory = new Uint8Array(kernel.memory.buffer);
  const base = 2 * PAGE;
  kernel.separator.value = separator.charCodeAt(0);
  kernel.width.value = width;
  forms.forEach((form, k) => {
    memory[kernel.columns.value + 4 * k] = FIELD_FORMS.indexOf(form);
  });
  /** Bytes of a record that goes on in the next piece. */
  let left = 0;
  const look = (end: number): boolean => {
    const next = kernel.look(base, end);
    if (next < 0) return false;
    memory.copyWithin(base, next, end);
    left = end - next;
    return true;
  };
  return {
    push: (piece) => {
      for (let at = 0; at < piece.length; ) {
        const room = Math.min(piece.length - at, ROOM - left);
        if (room === 0) return false;
        memory.set(piece.subarray(at, at + room), base + left);
        at += room;
        if (!look(base + left + room)) return false;
      }
      return true;
    },
    end: (ends) => {
      // The last record may have no line end; behind returns it is left to the other scan.
      if (left > 0) {
        if (ends === 'crlf' || memory[base + left - 1] === RETURN) return false;
        memory[base + left] = LINE_FEED;
        if (!look(base + left + 1) || left > 0) return false;
      }
      const { value: records } = kernel.records;
      const { value: returns } = kernel.returns;
      return records === 0 || returns === (ends === 'crlf' ? records : 0);
    },
  };
};
