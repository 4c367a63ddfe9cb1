// CSV: what it means is decided here, byte by byte (docs/files.md); libraries only cut apart what has passed.
import Papa from 'papaparse';
import { DurchblickError } from '../errors.ts';
import { tooLarge } from './bytes.ts';
import type { FileTable } from './column.ts';
import { checkNames, utf8Text } from './text.ts';

/** JavaScript's texts end at 2^29 characters. */
const MOST_BYTES = 2 ** 29 - 2 ** 20;

const SEPARATORS = [',', ';', '\t', '|'] as const;
export type Separator = (typeof SEPARATORS)[number];

const [LINE_FEED, RETURN, QUOTE] = [10, 13, 34];
/** No header is waited for longer. */
const LONGEST_HEADER = 16 * 2 ** 20;
const BYTE_ORDER_MARK = [0xef, 0xbb, 0xbf];

const startOf = (bytes: Uint8Array): number => (BYTE_ORDER_MARK.every((byte, k) => bytes[k] === byte) ? BYTE_ORDER_MARK.length : 0);

/**
 * What parts the fields of a file: whichever of `, ; | TAB` its header has most of outside quotes, the comma in doubt; and
 * whether the header ends in these bytes.
 */
const separatorOf = (bytes: Uint8Array): { readonly separator: Separator; readonly ends: boolean } => {
  const counts = new Map<number, number>(SEPARATORS.map((separator) => [separator.charCodeAt(0), 0]));
  let [quoted, isOver] = [false, false];
  for (let k = startOf(bytes), seen = false; k < bytes.length; k++) {
    const byte = bytes[k];
    if (byte === QUOTE) quoted = !quoted;
    // Lines with nothing on them stand before the header as well as behind it.
    const ends = !quoted && (byte === LINE_FEED || byte === RETURN);
    isOver = ends && seen;
    if (isOver) break;
    if (!ends) seen = true;
    if (!quoted && counts.has(byte)) counts.set(byte, (counts.get(byte) as number) + 1);
  }
  const count = (separator: string): number => counts.get(separator.charCodeAt(0)) as number;
  return { separator: SEPARATORS.reduce((best, separator) => (count(separator) > count(best) ? separator : best)), ends: isOver };
};

/** What a CSV file is like, as far as a reader must know. */
export interface CsvFacts {
  readonly separator: Separator;
  /** Records behind the header. */
  readonly records: number;
  /** Line ends: none but line feeds, returns before all of them, or before some. */
  readonly ends: 'lf' | 'crlf' | 'both';
  /** The names of the columns, as they stand in the first record. */
  readonly header: () => readonly string[];
  /** Lines with nothing on them that have records behind them. */
  readonly emptyLines: number;
  /** Lines with nothing on them stand behind the last record. */
  readonly emptyEnd: boolean;
  /** Quotes that do not begin a field: characters like any other. */
  readonly bareQuotes: boolean;
  /** Line ends inside of quotes. */
  readonly quotedEnds: boolean;
  /** The longest record, in bytes. */
  readonly longest: number;
}

const hint = 'A CSV file has a header line, the same number of fields in every record, and quotes doubled inside quotes (RFC 4180).';
const fault = (name: string, message: string): DurchblickError =>
  new DurchblickError('bad-csv', `${name}${message}`, { kind: 'data', hint });
const fieldsText = (count: number): string => `${count} ${count === 1 ? 'field' : 'fields'}`;

const joined = (pieces: readonly Uint8Array[]): Uint8Array => {
  if (pieces.length === 1) return pieces[0];
  const all = new Uint8Array(pieces.reduce((length, piece) => length + piece.length, 0));
  let at = 0;
  for (const piece of pieces) {
    all.set(piece, at);
    at += piece.length;
  }
  return all;
};

/** Where the scan is inside a record. */
const [START, PLAIN, QUOTED, CLOSED] = [0, 1, 2, 3];

/** How far a file has been looked at. */
interface Scan {
  readonly name: string;
  separator: Separator | undefined;
  sep: number;
  state: number;
  fields: number;
  /** Fields of the header, 0 before it has ended. */
  width: number;
  records: number;
  line: number;
  recordLine: number;
  recordStart: number;
  bytesBefore: number;
  longest: number;
  /** A return outside of quotes that waits for its line feed. */
  waiting: boolean;
  lineFeeds: number;
  returns: number;
  empty: number;
  emptyLines: number;
  bareQuotes: boolean;
  quotedEnds: boolean;
  /** How many bytes of a byte order mark the last ones are. */
  marks: number;
  /** Pieces that wait for the end of the header. */
  readonly early: Uint8Array[];
  /** Pieces up to the one in which the header ends. */
  readonly head: Uint8Array[];
}

const scanOf = (name: string): Scan => ({
  name,
  separator: undefined,
  sep: 0,
  state: START,
  fields: 0,
  width: 0,
  records: -1,
  line: 1,
  recordLine: 1,
  recordStart: 0,
  bytesBefore: 0,
  longest: 0,
  waiting: false,
  lineFeeds: 0,
  returns: 0,
  empty: 0,
  emptyLines: 0,
  bareQuotes: false,
  quotedEnds: false,
  marks: 0,
  early: [],
  head: [],
});

const loneReturn = ({ name, line }: Scan): DurchblickError =>
  fault(name, `, line ${line}: a carriage return stands without a line feed behind it, outside of quotes`);

const endRecord = (scan: Scan, at: number): void => {
  if (scan.state === START && scan.fields === 0) {
    scan.empty++;
    return;
  }
  const found = scan.fields + 1;
  if (scan.width === 0) scan.width = found;
  else if (found !== scan.width)
    throw fault(scan.name, `, line ${scan.recordLine}: it has ${fieldsText(found)}, the header has ${scan.width}`);
  scan.records++;
  scan.emptyLines += scan.empty;
  scan.empty = 0;
  if (at - scan.recordStart > scan.longest) scan.longest = at - scan.recordStart;
  scan.state = START;
  scan.fields = 0;
};

const endLine = (scan: Scan, at: number): void => {
  scan.lineFeeds++;
  if (scan.waiting) scan.returns++;
  scan.waiting = false;
  endRecord(scan, at);
  scan.line++;
  scan.recordLine = scan.line;
  scan.recordStart = at + 1;
};

/** A byte that is no separator, quote or line end. */
const plainByte = (scan: Scan, byte: number): void => {
  const { name, line } = scan;
  if (byte === 0) throw fault(name, `, line ${line}: it has a NUL byte and is no text`);
  scan.marks = byte === BYTE_ORDER_MARK[scan.marks] ? scan.marks + 1 : byte === BYTE_ORDER_MARK[0] ? 1 : 0;
  if (scan.marks === BYTE_ORDER_MARK.length)
    throw fault(name, `, line ${line}: a byte order mark stands within the file; were files put together?`);
};

const quotedByte = (scan: Scan, byte: number): void => {
  if (byte === QUOTE) scan.state = CLOSED;
  else if (byte === LINE_FEED) {
    scan.line++;
    scan.quotedEnds = true;
  } else if (byte === RETURN) scan.quotedEnds = true;
  else plainByte(scan, byte);
};

const lookAt = (scan: Scan, bytes: Uint8Array, from: number): void => {
  const { sep, bytesBefore } = scan;
  for (let k = from; k < bytes.length; k++) {
    const byte = bytes[k];
    if (scan.state === QUOTED) quotedByte(scan, byte);
    else if (byte === LINE_FEED) endLine(scan, bytesBefore + k);
    else if (scan.waiting) throw loneReturn(scan);
    else if (byte === sep) {
      scan.fields++;
      scan.state = START;
    } else if (byte === RETURN) scan.waiting = true;
    else if (byte === QUOTE) {
      if (scan.state === START || scan.state === CLOSED) scan.state = QUOTED;
      else scan.bareQuotes = true;
    } else {
      if (scan.state === CLOSED) throw fault(scan.name, `, line ${scan.line}: text stands behind the closing quote of a field`);
      plainByte(scan, byte);
      scan.state = PLAIN;
    }
  }
  scan.bytesBefore += bytes.length;
};

const takePiece = (scan: Scan, piece: Uint8Array, more: 'more' | 'last'): void => {
  let [from, bytes] = [0, piece];
  if (scan.separator === undefined) {
    const { early } = scan;
    early.push(piece);
    bytes = joined(early);
    const found = separatorOf(bytes);
    if (!found.ends && more === 'more' && bytes.length < LONGEST_HEADER) {
      early.splice(0, early.length, bytes);
      return;
    }
    scan.separator = found.separator;
    scan.sep = found.separator.charCodeAt(0);
    from = startOf(bytes);
  }
  if (scan.records < 0) scan.head.push(bytes);
  lookAt(scan, bytes, from);
};

const endScan = (scan: Scan): CsvFacts => {
  const { name } = scan;
  if (scan.separator === undefined) takePiece(scan, new Uint8Array(0), 'last');
  if (scan.waiting) throw loneReturn(scan);
  if (scan.state === QUOTED) throw fault(name, `, line ${scan.recordLine}: a quoted field is not closed`);
  if (scan.state !== START || scan.fields > 0) endRecord(scan, scan.bytesBefore);
  const { head, records, returns, lineFeeds, empty, emptyLines, bareQuotes, quotedEnds, longest, separator = ',' } = scan;
  if (records < 0) throw fault(name, ' is empty: a header line with the names of the columns is needed');
  return {
    separator,
    records,
    header: () => headerIn(head, separator),
    emptyEnd: empty > 0,
    ends: returns === 0 ? 'lf' : returns === lineFeeds ? 'crlf' : 'both',
    emptyLines,
    bareQuotes,
    quotedEnds,
    longest,
  };
};

/**
 * Looks at every byte of a file, in pieces, and holds it to what a CSV file is. Throws `bad-csv` with the line (from 1)
 * of the first fault; `end` tells what the file is like.
 */
export const csvScan = (name: string): { readonly push: (piece: Uint8Array) => void; readonly end: () => CsvFacts } => {
  const scan = scanOf(name);
  return { push: (piece) => takePiece(scan, piece, 'more'), end: () => endScan(scan) };
};

/** The same records, each on a line that ends in a line feed alone, and no line with nothing on it. Only for what has passed the scan. */
const tidied = (bytes: Uint8Array, separator: Separator): Uint8Array => {
  const sep = separator.charCodeAt(0);
  const out = new Uint8Array(bytes.length);
  let [length, state, lineStart] = [0, START, 0];
  for (let k = startOf(bytes); k < bytes.length; k++) {
    const byte = bytes[k];
    if (state === QUOTED) {
      if (byte === QUOTE) state = CLOSED;
    } else if (byte === LINE_FEED) {
      if (length === lineStart) continue;
      state = START;
      lineStart = length + 1;
    } else if (byte === RETURN) continue;
    else if (byte === QUOTE) state = state === PLAIN ? PLAIN : QUOTED;
    else state = byte === sep ? START : PLAIN;
    out[length++] = byte;
  }
  return out.subarray(0, length);
};

/** The first record in the first pieces of a file. */
const headerIn = (pieces: readonly Uint8Array[], separator: Separator): readonly string[] => {
  const text = new TextDecoder().decode(tidied(joined(pieces), separator));
  return Papa.parse<string[]>(text, { delimiter: separator, newline: '\n', preview: 1 }).data[0];
};

/** Cuts a file apart that has passed the scan, or that is plain. */
export const csvRecords = (
  bytes: Uint8Array,
  name: string,
  { separator, ends, emptyLines = 0 }: Pick<CsvFacts, 'separator' | 'ends'> & Partial<Pick<CsvFacts, 'emptyLines'>>,
): string[][] => {
  const isTidy = ends !== 'both' && emptyLines === 0;
  const text = utf8Text(isTidy ? bytes : tidied(bytes, separator), name);
  let length = text.length;
  while (length > 0 && (text[length - 1] === '\n' || text[length - 1] === '\r')) length--;
  const newline = isTidy && ends === 'crlf' ? '\r\n' : '\n';
  return Papa.parse<string[]>(text.slice(0, length), { delimiter: separator, newline, skipEmptyLines: false }).data;
};

/** Reads CSV with a header line. All values stay texts; an empty field, quoted or not, is blank. What is known to be plain is not scanned. */
export const readCsv = (bytes: Uint8Array, name: string, plain?: Pick<CsvFacts, 'separator' | 'ends'>): FileTable => {
  if (bytes.byteLength > MOST_BYTES) throw tooLarge(name, `${Math.round(bytes.byteLength / 2 ** 20)} MiB`);
  const scanned = (): CsvFacts => {
    const scan = csvScan(name);
    scan.push(bytes);
    return scan.end();
  };
  const [header, ...records] = csvRecords(bytes, name, plain ?? scanned());
  checkNames(header, name);
  return {
    rows: records.length,
    columns: header.map((column, k) => ({ name: column, kind: 'text', values: records.map((record) => record[k]) })),
  };
};

/** The header of a plain file, with the number of bytes up to the first record. */
export interface CsvStart {
  readonly separator: Separator;
  readonly header: readonly string[];
  readonly length: number;
  readonly ends: 'lf' | 'crlf';
}

/** The header of a plain file in its first bytes; undefined where it is not plain or not whole. */
export const csvStart = (head: Uint8Array): CsvStart | undefined => {
  const start = startOf(head);
  const end = head.indexOf(LINE_FEED, start);
  const ends = end > start && head[end - 1] === RETURN ? 'crlf' : 'lf';
  const line = head.subarray(start, ends === 'crlf' ? end - 1 : end);
  if (end < 0 || line.length === 0 || line.includes(RETURN) || line.includes(0)) return undefined;
  const { separator } = separatorOf(head.subarray(0, end + 1));
  // Quotes in a header may hold anything: few have them.
  if (line.includes(QUOTE)) return undefined;
  return { separator, header: headerIn([head.subarray(0, end + 1)], separator), length: end + 1, ends };
};

/** Some of the first records, for a guess at what columns hold. */
export const csvHead = (head: Uint8Array, separator: Separator, most: number): readonly (readonly string[])[] => {
  const text = new TextDecoder().decode(head.subarray(0, HEAD_BYTES));
  const whole = text.slice(0, text.lastIndexOf('\n') + 1);
  return Papa.parse<string[]>(whole, { delimiter: separator, preview: most + 1 }).data.slice(1);
};
const HEAD_BYTES = 2 ** 20;
