import * as arrow from 'apache-arrow';
import { parquetWriteBuffer } from 'hyparquet-writer';

/**
 * A small file and what it means: rows by day, member and amount, or the code and words of an error. Every file has the
 * columns `d` (a date), `k` (a member) and `v` (a number).
 */
export interface FileCase {
  readonly name: string;
  readonly ending: string;
  readonly bytes: Uint8Array;
  readonly want: readonly Row[] | Fault;
  /** What else the model says of the source or of its date. */
  readonly model?: {
    readonly date?: Readonly<Record<string, unknown>>;
    readonly source?: Readonly<Record<string, unknown>>;
    readonly zone?: string;
  };
}
/** Day, member, amount; a null day is a row without a date, a null amount a blank. */
export type Row = readonly [day: string | null, member: string, amount: number | null];
export interface Fault {
  readonly code: string;
  readonly says: string;
}
const fault = (code: string, says: string): Fault => ({ code, says });
const utf8 = (text: string): Uint8Array => new TextEncoder().encode(text);
const latin = (text: string): Uint8Array => Uint8Array.from(text, (character) => character.charCodeAt(0));

const DAY = '2026-01-05';
const csv = (name: string, text: string | Uint8Array, want: FileCase['want'], model?: FileCase['model']): FileCase => ({
  name: `csv: ${name}`,
  ending: 'csv',
  bytes: typeof text === 'string' ? utf8(text) : text,
  want,
  ...(model ? { model } : {}),
});
const [A, B]: Row[] = [
  [DAY, 'a', 1],
  ['2026-01-06', 'b', 2],
];
const TWO = `${DAY},a,1\n2026-01-06,b,2\n`;

/** What bytes of CSV mean: records, separators, line ends, quotes, names. */
// biome-ignore format: one case a line
const structure: FileCase[] = [
  csv('a header and two records', `d,k,v\n${TWO}`, [A, B]),
  csv('no line end behind the last record', `d,k,v\n${TWO.trimEnd()}`, [A, B]),
  csv('a byte order mark is no part of the first name', `\ufeffd,k,v\n${TWO}`, [A, B]),
  csv('files that were put together', `d,k,v\n${DAY},a,1\n\ufeffd,k,v\n`, fault('bad-csv', 'line 3: a byte order mark stands within the file')),
  csv('a byte order mark inside of quotes', `d,k,v\n${DAY},"\ufeff",1\n`, fault('bad-csv', 'line 2: a byte order mark')),
  csv('line ends of two characters', `d,k,v\n${TWO}`.replaceAll('\n', '\r\n'), [A, B]),
  csv('mixed line ends', `d,k,v\r\n${DAY},a,1\n2026-01-06,b,2\r\n`, [A, B]),
  csv('mixed line ends the other way', `d,k,v\n${DAY},a,1\r\n2026-01-06,b,2\n`, [A, B]),
  csv('a return alone ends no line', `d,k,v\r${DAY},a,1\r`, fault('bad-csv', 'line 1: a carriage return stands without a line feed')),
  csv('a return alone inside of a record', `d,k,v\n${DAY},a\rb,1\n`, fault('bad-csv', 'line 2: a carriage return')),
  csv('a return alone at the end', `d,k,v\n${DAY},a,1\r`, fault('bad-csv', 'line 2: a carriage return')),
  csv('a return within quotes is text', `d,k,v\n${DAY},"a\rb",1\n`, [[DAY, 'a\rb', 1]]),
  csv('a line feed within quotes is text', `d,k,v\n${DAY},"a\nb",1\n`, [[DAY, 'a\nb', 1]]),
  csv('a line feed within quotes among lines of two characters', `d,k,v\r\n${DAY},"a\nb",1\r\n`, [[DAY, 'a\nb', 1]]),
  csv('both line ends within quotes', `d,k,v\r\n${DAY},"a\r\nb",1\r\n2026-01-06,b,2\r\n`, [[DAY, 'a\r\nb', 1], B]),
  csv('lines with nothing on them are no records', `d,k,v\n\n${DAY},a,1\n\n\n2026-01-06,b,2\n\n`, [A, B]),
  csv('so among lines of two characters', `d,k,v\r\n\r\n${DAY},a,1\r\n\r\n`, [A]),
  csv('lines with nothing on them before the header', `\n\nd,k,v\n${TWO}`, [A, B]),
  csv('a line of blanks is a record', `d,k,v\n   \n${TWO}`, fault('bad-csv', 'line 2: it has 1 field, the header has 3')),
  csv('a line of separators is a record of blanks', `d,k,v\n,,\n${TWO}`, [[null, '(none)', null], A, B]),
  csv('quoted nothing is blank', `d,k,v\n${DAY},"",""\n`, [[DAY, '(none)', null]]),
  csv('a quoted line of nothing has one field', `d,k,v\n""\n`, fault('bad-csv', 'line 2: it has 1 field')),
  csv('a first field that begins with #', `d,k,v\n#x,a,1\n${TWO}`, fault('bad-dates', 'row 1, column d: "#x" is not a date')),
  csv('members that begin with #', `k,d,v\n#a,${DAY},1\n#b,2026-01-06,2\n`, [[DAY, '#a', 1], ['2026-01-06', '#b', 2]]),
  csv('a title line', `Orders of January\nd,k,v\n${TWO}`, fault('bad-csv', 'line 2: it has 3 fields, the header has 1')),
  csv('a header that stands twice', `d,k,v\nd,k,v\n${TWO}`, fault('bad-dates', 'row 1, column d: "d" is not a date')),
  csv('two columns of one name', `d,k,v,v\n${DAY},a,1,2\n`, fault('bad-csv', 'two columns called "v"')),
  csv('names that differ in case are two', `d,k,v,V,K\n${DAY},a,1,9,z\n`, [A]),
  csv('columns without a name', `d,k,v,,\n${DAY},a,1,x,y\n`, [A]),
  csv('a name with blanks is another name', `d,k, v\n${DAY},a,1\n`, fault('unknown-column', 'has no column "v"')),
  csv('quoted names', `"d","k","v"\n${TWO}`, [A, B]),
  csv('a name with a line feed', `d,k,v,"x\ny"\n${DAY},a,1,2\n`, [A]),
  csv('columns in another order', `v,d,k\n1,${DAY},a\n`, [A]),
  csv('more columns than are used', `x,d,y,k,v,z\n9,${DAY},9,a,1,9\n`, [A]),
  csv('a column that is missing', `d,k\n${DAY},a\n`, fault('unknown-column', 'has no column "v"')),
  csv('a field too few', `d,k,v\n${DAY},a\n`, fault('bad-csv', 'line 2: it has 2 fields, the header has 3')),
  csv('a field too many', `d,k,v\n${DAY},a,1,2\n`, fault('bad-csv', 'line 2: it has 4 fields, the header has 3')),
  csv('a separator too many at every end', `d,k,v\n${DAY},a,1,\n`, fault('bad-csv', 'line 2: it has 4 fields')),
  csv('the line is counted with those inside quotes', `d,k,v\n${DAY},"a\nb\nc",1\n${DAY},a\n`, fault('bad-csv', 'line 5')),
  csv('nothing but a header', 'd,k,v\n', []),
  csv('nothing but a header without a line end', 'd,k,v', []),
  csv('nothing', '', fault('bad-csv', 'is empty')),
  csv('nothing but line ends', '\n\r\n\n', fault('bad-csv', 'is empty')),
  csv('a quote doubled inside quotes', `d,k,v\n${DAY},"a""b",1\n`, [[DAY, 'a"b', 1]]),
  csv('quotes alone inside quotes', `d,k,v\n${DAY},"""",1\n`, [[DAY, '"', 1]]),
  csv('quotes in the middle of a field are text', `d,k,v\n${DAY},a"b"c,1\n`, [[DAY, 'a"b"c', 1]]),
  csv('a quote at the end of a field is text', `d,k,v\n${DAY},5",1\n`, [[DAY, '5"', 1]]),
  csv('a quote behind a blank is text', `d,k,v\n${DAY}, "a",1\n`, [[DAY, ' "a"', 1]]),
  csv('text behind a closing quote', `d,k,v\n${DAY},"a"b,1\n`, fault('bad-csv', 'line 2: text stands behind the closing quote')),
  csv('a blank behind a closing quote', `d,k,v\n${DAY},"a" ,1\n`, fault('bad-csv', 'line 2: text stands behind the closing quote')),
  csv('a quoted field that is not closed', `d,k,v\n${DAY},"a,1\n2026-01-06,b,2\n`, fault('bad-csv', 'line 2: a quoted field is not closed')),
  csv('separators inside quotes', `d,k,v\n${DAY},"a,b;c",1\n`, [[DAY, 'a,b;c', 1]]),
  csv('blanks around a member stay', `d,k,v\n${DAY}, a ,1\n`, [[DAY, ' a ', 1]]),
  csv('a backslash escapes nothing', `d,k,v\n${DAY},a\\,1\n`, [[DAY, 'a\\', 1]]),
  csv('a backslash before a quote', `d,k,v\n${DAY},"a\\",1\n`, [[DAY, 'a\\', 1]]),
  csv('single quotes are text', `d,k,v\n${DAY},'a',1\n`, [[DAY, "'a'", 1]]),
  ...[';', '\t', '|'].flatMap((separator) => [
    csv(`parted by ${JSON.stringify(separator)}`, `d,k,v\n${TWO}`.replaceAll(',', separator), [A, B]),
    csv(`parted by ${JSON.stringify(separator)}, with a comma in a field`, `d,k,v\n${DAY},a,1\n`.replaceAll(',', separator).replace('a', 'a,b'), [[DAY, 'a,b', 1]]),
    csv(`parted by ${JSON.stringify(separator)}, quoted`, `d,k,v\n${DAY},"a${separator}b",1\n`.replaceAll(',', separator), [[DAY, `a${separator}b`, 1]]),
  ]),
  csv('separators inside a quoted name do not count', `d,"k;;;;;",v,k\n${DAY},x,1,a\n`, [A]),
  csv('as many semicolons as commas: the comma', `d,k,v,x;y;z;\n${DAY},a,1,2\n`, [A]),
  csv('other bytes than UTF-8', latin(`d,k,v\n${DAY},B\u00e4ume,1\n`), fault('bad-encoding', 'is not UTF-8')),
  csv('an overlong form', Uint8Array.from([...latin('d,k,v\n2026-01-05,'), 0xc0, 0xaf, ...latin(',1\n')]), fault('bad-encoding', 'is not UTF-8')),
  csv('a surrogate', Uint8Array.from([...latin('d,k,v\n2026-01-05,'), 0xed, 0xa0, 0x80, ...latin(',1\n')]), fault('bad-encoding', 'is not UTF-8')),
  csv('a NUL byte', `d,k,v\n${DAY},a\u0000b,1\n`, fault('bad-csv', 'line 2: it has a NUL byte')),
  csv('a NUL byte in quotes', `d,k,v\n${DAY},"\u0000",1\n`, fault('bad-csv', 'NUL byte')),
  csv('sixteen bits a character', Uint8Array.from([0xff, 0xfe, ...[...latin(`d,k,v\n${TWO}`)].flatMap((byte) => [byte, 0])]), fault('bad-csv', 'NUL byte')),
  csv('letters of every script', `d,k,v\n${DAY},Bäume 木 🌳 ﬀ,1\n`, [[DAY, 'Bäume 木 🌳 ﬀ', 1]]),
  csv('the same letters written in two ways are two members', `d,k,v\n${DAY},\u00e4,1\n${DAY},a\u0308,2\n`, [[DAY, 'a\u0308', 2], [DAY, '\u00e4', 1]]),
  csv('a field of 300,000 characters', `d,k,v\n${DAY},${'x'.repeat(300_000)},1\n`, [[DAY, 'x'.repeat(300_000), 1]]),
  csv('a thousand columns', `d,k,v,${Array.from({ length: 1000 }, (_, k) => `c${k}`).join()}\n${DAY},a,1${',9'.repeat(1000)}\n`, [A]),
  csv('a table of one field a line', `d\n${DAY}\n`, fault('unknown-column', 'has no column')),
];

/** Texts of dates, the day they mean, and where they do. `null` is a blank, `bad` no date. */
const DATES: readonly (readonly [text: string, day: string | null | 'bad'])[] = [
  ['2026-08-15', '2026-08-15'],
  ['0001-01-01', '0001-01-01'],
  ['9999-12-31', '9999-12-31'],
  ['2024-02-29', '2024-02-29'],
  ['2026-02-29', 'bad'],
  ['2026-02-30', 'bad'],
  ['2026-13-01', 'bad'],
  ['2026-00-01', 'bad'],
  ['0000-01-01', 'bad'],
  ['10000-01-01', 'bad'],
  ['2026-1-6', 'bad'],
  ['2026-01-6', 'bad'],
  ['26-01-06', 'bad'],
  [' 2026-08-15 ', '2026-08-15'],
  ['\t2026-08-15', 'bad'],
  ['\u00a02026-08-15', 'bad'],
  ['2026-08-15\u2003', 'bad'],
  ['2026-08-15T23:30:00', '2026-08-15'],
  ['2026-08-15t23:30:00', '2026-08-15'],
  ['2026-08-15 23:30', '2026-08-15'],
  ['2026-08-15 23:30:60', '2026-08-15'],
  ['2026-08-15 23:30:61', 'bad'],
  ['2026-08-15 24:00', 'bad'],
  ['2026-08-15 23:60', 'bad'],
  ['2026-08-15T23:30:00.123456789', '2026-08-15'],
  ['2026-08-15T23:30:00,5', '2026-08-15'],
  ['2026-08-15T23:30:00.1234567891', 'bad'],
  ['2026-03-28T23:30:00Z', '2026-03-29'],
  ['2026-03-28T22:30:00Z', '2026-03-28'],
  ['2026-03-28T23:30:00z', '2026-03-29'],
  ['2026-08-15T22:00:00Z', '2026-08-16'],
  ['2026-08-15T21:59:59.999Z', '2026-08-15'],
  ['2026-08-15T23:30:00+02:00', '2026-08-15'],
  ['2026-08-15T23:30:00-0500', '2026-08-16'],
  ['2026-08-15T23:30:00 +02', '2026-08-15'],
  ['2026-08-15T23:30:00+25:00', 'bad'],
  ['2026-08-15T23:30:00+02:60', 'bad'],
  ['2026-08-15T23:30:00 Europe/Berlin', 'bad'],
  ['1969-12-31T23:59:59.999Z', '1970-01-01'],
  ['1900-01-01T00:00:00Z', '1900-01-01'],
  ['20260815', '2026-08-15'],
  ['20260231', 'bad'],
  ['2026081', 'bad'],
  ['202608150', 'bad'],
  ['2026-08', 'bad'],
  ['2026', 'bad'],
  ['2026-Q3', 'bad'],
  ['2026-W33', 'bad'],
  ['15.08.2026', 'bad'],
  ['8/15/2026', 'bad'],
  ['45000', 'bad'],
  ['today', 'bad'],
  ['null', 'bad'],
  ['NaN', 'bad'],
  ['-', 'bad'],
  ['', null],
];

/** Coarse texts, for facts kept by the month. */
const COARSE: readonly (readonly [text: string, day: string | 'bad'])[] = [
  ['2026-08', '2026-08-01'],
  ['2026', '2026-01-01'],
  ['2026-Q3', '2026-07-01'],
  ['2026-W33', '2026-08-10'],
  ['2026-W53', '2026-12-28'],
  ['2025-W53', 'bad'],
  ['2026-W00', 'bad'],
  ['1969-W01', '1968-12-30'],
  ['1965-W20', '1965-05-17'],
  ['1970-W01', '1969-12-29'],
  ['0001-W01', '0001-01-01'],
  ['9999-W52', '9999-12-27'],
  ['9999-W53', 'bad'],
  ['2026-Q5', 'bad'],
  ['2026-8', 'bad'],
];

/** Texts of numbers: plain ones, and what they are with a decimal comma. */
const NUMBERS: readonly (readonly [text: string, plain: number | null | 'bad', comma: number | null | 'bad'])[] = [
  ['1', 1, 1],
  ['-1.5', -1.5, 'bad'],
  ['+2', 2, 2],
  ['.5', 0.5, 'bad'],
  ['5.', 5, 'bad'],
  ['1e3', 1000, 1000],
  ['1E-3', 0.001, 0.001],
  ['1e400', 'bad', 'bad'],
  ['-1e400', 'bad', 'bad'],
  ['1e-400', 0, 0],
  [' 7 ', 7, 7],
  ['\t7', 'bad', 'bad'],
  ['7\u00a0', 'bad', 'bad'],
  ['0x10', 'bad', 'bad'],
  ['1_000', 'bad', 'bad'],
  ['1,5', 'bad', 1.5],
  ['1.234,5', 'bad', 1234.5],
  ['1.23,5', 'bad', 'bad'],
  ['1,234.5', 'bad', 'bad'],
  ['12,50 €', 'bad', 12.5],
  ['€ 12', 'bad', 12],
  ['Infinity', 'bad', 'bad'],
  ['NaN', 'bad', 'bad'],
  ['true', 'bad', 'bad'],
  ['١٢', 'bad', 'bad'],
  ['12345678901234567', 12345678901234568, 12345678901234568],
  ['0.1', 0.1, 'bad'],
  ['0.0000001', 1e-7, 'bad'],
  ['', null, null],
];

/** Members, as they are shown. */
const MEMBERS: readonly (readonly [text: string, shown: string])[] = [
  ['a', 'a'],
  [' a', ' a'],
  ['#x', '#x'],
  ['007', '007'],
  ['1.0', '1.0'],
  ['1e3', '1e3'],
  ['2026-1-6', '2026-1-6'],
  ['2026-01-06T00:00:00Z', '2026-01-06T00:00:00Z'],
  ['true', 'true'],
  ['NULL', 'NULL'],
  ['null', 'null'],
  ['NaN', 'NaN'],
  ['\\N', '\\N'],
  ['(none)', '"(none)"'],
  ['(unknown)', '"(unknown)"'],
  ['"(none)"', '""(none)""'],
  ['(None)', '(None)'],
  ['9007199254740993', '9007199254740993'],
  ['constructor', 'constructor'],
  ['__proto__', '__proto__'],
  ['a\u2028b', 'a\u2028b'],
  ['%', '%'],
  ["it's", "it's"],
];

type Texts = readonly [d: string | null, k: string | null, v: string | null];
const quoted = (text: string | null): string => (text === null ? '' : `"${text.replaceAll('"', '""')}"`);
const asCsv = ([d, k, v]: Texts): Uint8Array => utf8(`d,k,v\n${[d, k, v].map(quoted).join()}\n`);
const asNdjson = ([d, k, v]: Texts): Uint8Array => utf8(`${JSON.stringify({ d, k, v })}\n`);
const asJson = ([d, k, v]: Texts): Uint8Array => utf8(JSON.stringify([{ d, k, v }]));
const asArrow = ([d, k, v]: Texts): Uint8Array => {
  const text = (value: string | null) => arrow.vectorFromArray([value], new arrow.Utf8());
  return arrow.tableToIPC(new arrow.Table({ d: text(d), k: text(k), v: text(v) } as never), 'file');
};
const asParquet = ([d, k, v]: Texts): Uint8Array =>
  new Uint8Array(
    parquetWriteBuffer({
      columnData: [
        { name: 'd', data: [d], type: 'STRING', nullable: true },
        { name: 'k', data: [k], type: 'STRING', nullable: true },
        { name: 'v', data: [v], type: 'STRING', nullable: true },
      ],
    }),
  );
const FORMS = { csv: asCsv, ndjson: asNdjson, json: asJson, arrow: asArrow, parquet: asParquet } as const;
type Form = keyof typeof FORMS;

const inForms = (forms: readonly Form[], name: string, texts: Texts, want: FileCase['want'], model?: FileCase['model']): FileCase[] =>
  forms.map((form) => ({ name: `${form}: ${name}`, ending: form, bytes: FORMS[form](texts), want, ...(model ? { model } : {}) }));

/** One text in every form of file: the meaning is the text's. */
const texts: FileCase[] = [
  ...DATES.flatMap(([text, day]) =>
    inForms(
      ['csv', 'ndjson', 'arrow', 'parquet'],
      `the date ${JSON.stringify(text)}`,
      [text, 'a', '1'],
      day === 'bad' ? fault('bad-dates', `row 1, column d: ${JSON.stringify(text)} is not a date`) : [[day, 'a', 1]],
      { zone: 'Europe/Berlin' },
    ),
  ),
  ...COARSE.flatMap(([text, day]) =>
    inForms(
      ['csv', 'json'],
      `the coarse date ${JSON.stringify(text)}`,
      [text, 'a', '1'],
      day === 'bad' ? fault('bad-dates', `${JSON.stringify(text)} is not a date`) : [[day, 'a', 1]],
      { date: { grain: 'week' } },
    ),
  ),
  ...NUMBERS.flatMap(([text, plain, comma]) =>
    [
      [plain, {}],
      [comma, { source: { decimal: 'comma' } }],
    ].flatMap(([want, model]) =>
      inForms(
        ['csv', 'ndjson'],
        `the number ${JSON.stringify(text)}${model && 'source' in (model as object) ? ' with a decimal comma' : ''}`,
        [DAY, 'a', text],
        want === 'bad'
          ? fault('bad-number', `row 1, column v: ${JSON.stringify(text)} is not a number`)
          : [[DAY, 'a', want as number | null]],
        model as FileCase['model'],
      ),
    ),
  ),
  ...MEMBERS.flatMap(([text, shown]) =>
    inForms(['csv', 'json', 'arrow', 'parquet'], `the member ${JSON.stringify(text)}`, [DAY, text, '1'], [[DAY, shown, 1]]),
  ),
];

const json = (name: string, text: string, want: FileCase['want'], ending = 'json', model?: FileCase['model']): FileCase => ({
  name: `${ending}: ${name}`,
  ending,
  bytes: utf8(text),
  want,
  ...(model ? { model } : {}),
});
const row = (more: string): string => `{"d":"${DAY}","k":"a",${more}}`;

/** Values of JSON that are no texts, and what a file of it is. */
// biome-ignore format: one case a line
const ofJson: FileCase[] = [
  ...(
    [
      ['1', 1],
      ['-0', 0],
      ['1.5e1', 15],
      ['0.1', 0.1],
      ['1e400', 'bad'],
      ['12345678901234567', 12345678901234568],
      ['null', null],
      ['true', 'bad'],
      ['"1"', 1],
    ] as const
  ).map(([value, want]) =>
    json(
      `the value ${value} as an amount`,
      `[${row(`"v":${value}`)}]`,
      want === 'bad' ? fault('bad-number', 'is not a number') : [[DAY, 'a', want]],
    ),
  ),
  ...(
    [
      ['1', '1'],
      ['1.50', '1.5'],
      ['1e3', '1000'],
      ['1e21', '1e+21'],
      ['0.00001', '1e-05'],
      ['9007199254740993', '9007199254740993'],
      ['123456789012345678901234567890', '123456789012345678901234567890'],
      ['true', 'true'],
      ['null', '(none)'],
      ['""', '(none)'],
    ] as const
  ).map(([value, want]) => json(`the value ${value} as a member`, `[{"d":"${DAY}","k":${value},"v":1}]`, [[DAY, want, 1]])),
  json('numbers and texts in one column', `[{"d":"${DAY}","k":1,"v":1},{"d":"${DAY}","k":"1","v":2},{"d":"${DAY}","k":"x","v":4}]`, [[DAY, '1', 3], [DAY, 'x', 4]]),
  json('a day as a key', `[{"d":20260105,"k":"a","v":1}]`, [A]),
  json('a name that some rows do not have', `[{"d":"${DAY}","k":"a","v":1},{"d":"${DAY}","v":2}]`, [[DAY, '(none)', 2], [DAY, 'a', 1]]),
  json('a column constructor that a row does not have', `[{"d":"${DAY}","k":"a","v":1,"constructor":1},{"d":"2026-01-06","k":"b","v":2}]`, [A, B]),
  json('a name that stands twice', `[{"d":"${DAY}","k":"a","v":1,"v":2}]`, fault('bad-json', 'a name twice')),
  json('a list among the values', `[${row('"v":[1]')}]`, fault('unusable-column', 'column v holds a list (row 1)')),
  json('a record among the values', `[${row('"v":{"x":1}')}]`, fault('unusable-column', 'column v holds a record (row 1)')),
  json('a list in a column that nobody uses', `[${row('"v":1,"tags":["x"]')}]`, [A]),
  json('names with two kinds of escapes are one', `[{"d":"${DAY}","\\u006b":"a","v":1}]`, [A]),
  json('no rows', '[]', []),
  json('nothing', '', fault('bad-json', 'it is empty')),
  json('one object', row('"v":1'), fault('bad-json', 'it holds no array')),
  json('a list of numbers', '[1]', fault('bad-json', 'element 1 is no object')),
  json('a comma too many', `[${row('"v":1')},]`, fault('bad-json', '')),
  json('text behind the array', `[${row('"v":1')}] x`, fault('bad-json', '')),
  json('NaN', `[${row('"v":NaN')}]`, fault('bad-json', '')),
  json('a byte order mark', `\ufeff[${row('"v":1')}]`, [A]),
  json('one object a line', `${row('"v":1')}\n{"d":"2026-01-06","k":"b","v":2}\n`, [A, B], 'ndjson'),
  json('line ends of two characters and lines of nothing', `${row('"v":1')}\r\n\r\n \n{"d":"2026-01-06","k":"b","v":2}`, [A, B], 'ndjson'),
  json('an array a line', `[${row('"v":1')}]\n`, fault('bad-json', 'line 1 is no object'), 'ndjson'),
  json('two objects on a line', `${row('"v":1')}${row('"v":1')}\n`, fault('bad-json', 'line 1'), 'ndjson'),
  json('an object on two lines', `{"d":"${DAY}",\n"k":"a","v":1}\n`, fault('bad-json', 'line 1'), 'ndjson'),
  json('a fault on the second line', `${row('"v":1')}\n{"d":}\n`, fault('bad-json', 'line 2'), 'ndjson'),
  json('the other ending', `${row('"v":1')}\n`, [A], 'jsonl'),
  json('a blank date that is listed', `[{"d":"9999-12-31","k":"a","v":1}]`, [[null, 'a', 1]], 'json', { date: { blankDates: ['9999-12-31'] } }),
  json('a blank date that is listed and written otherwise', `[{"d":99991231,"k":"a","v":1}]`, [[null, 'a', 1]], 'json', { date: { blankDates: ['9999-12-31'] } }),
  json('a format', `[{"d":"5.1.2026","k":"a","v":1}]`, [A], 'json', { date: { format: 'd.M.yyyy' } }),
  json('a format and another text', `[{"d":"2026-01-05","k":"a","v":1}]`, fault('bad-dates', '"2026-01-05" is not a date'), 'json', { date: { format: 'd.M.yyyy' } }),
];

const vector = (values: readonly unknown[], type: arrow.DataType) => arrow.vectorFromArray(values as never, type);
const arrowFile = (columns: Readonly<Record<string, arrow.Vector>>, form: 'file' | 'stream' = 'file'): Uint8Array =>
  arrow.tableToIPC(new arrow.Table(columns as never), form);
const days = vector([DAY], new arrow.Utf8());
const members = vector(['a'], new arrow.Utf8());
const ones = vector([1], new arrow.Int32());
const ofArrow = (
  name: string,
  columns: Partial<Record<'d' | 'k' | 'v' | 'x', arrow.Vector>>,
  want: FileCase['want'],
  zone?: string,
): FileCase => ({
  name: `arrow: ${name}`,
  ending: 'arrow',
  bytes: arrowFile({ d: days, k: members, v: ones, ...columns }),
  want,
  ...(zone ? { model: { zone } } : {}),
});
/** A vector over values as they lie in memory, for what the library would convert. */
const rawVector = (type: arrow.DataType, values: ArrayBufferView, length: number): arrow.Vector =>
  arrow.makeVector(arrow.makeData({ type, length, nullCount: 0, data: values } as never) as never) as arrow.Vector;
const BERLIN = 'Europe/Berlin';
const NANO = arrow.TimeUnit.NANOSECOND;

/** Types of Arrow. */
// biome-ignore format: one case a line
const typed: FileCase[] = [
  ofArrow('16 bits of a fraction', { v: rawVector(new arrow.Float16(), Uint16Array.of(0x4740), 1) }, [[DAY, 'a', 7.25]]),
  ofArrow('an infinite fraction', { v: rawVector(new arrow.Float32(), Float32Array.of(Number.POSITIVE_INFINITY), 1) }, fault('bad-number', 'is not a number')),
  ofArrow('the least whole number of 32 bits', { v: rawVector(new arrow.Int32(), Int32Array.of(-(2 ** 31)), 1) }, [[DAY, 'a', -2147483648]]),
  ofArrow('whole numbers of 64 bits', { v: rawVector(new arrow.Int64(), BigInt64Array.of(5n), 1) }, [[DAY, 'a', 5]]),
  ofArrow('a member of 64 bits', { k: rawVector(new arrow.Int64(), BigInt64Array.of(9007199254740993n), 1) }, [[DAY, '9007199254740993', 1]]),
  ofArrow('unsigned 64 bits', { k: rawVector(new arrow.Uint64(), BigUint64Array.of(18446744073709551615n), 1) }, [[DAY, '18446744073709551615', 1]]),
  ofArrow('days', { d: rawVector(new arrow.DateDay(), Int32Array.of(20458), 1) }, [['2026-01-05', 'a', 1]]),
  ofArrow('days in milliseconds', { d: rawVector(new arrow.DateMillisecond(), BigInt64Array.of(20458n * 86_400_000n), 1) }, [['2026-01-05', 'a', 1]]),
  ofArrow('a day beyond D1', { d: rawVector(new arrow.DateDay(), Int32Array.of(2932897), 1) }, fault('bad-dates', 'is not a date')),
  ofArrow('a day as a key of 32 bits', { d: rawVector(new arrow.Int32(), Int32Array.of(20260105), 1) }, [A]),
  ofArrow(
    'a day as a key, and a blank',
    { d: vector([20260105, null], new arrow.Int32()), k: vector(['a', 'a'], new arrow.Utf8()), v: vector([1, 2], new arrow.Int32()) },
    [A, [null, 'a', 2]],
  ),
  ofArrow('a day as a key of 64 bits', { d: rawVector(new arrow.Int64(), BigInt64Array.of(20260105n), 1) }, [A]),
  ofArrow('a day as a fraction', { d: rawVector(new arrow.Float64(), Float64Array.of(20260105), 1) }, [A]),
  ofArrow('nanoseconds before midnight', { d: rawVector(new arrow.Timestamp(NANO, null), BigInt64Array.of(20459n * 86_400_000_000_000n - 1n), 1) }, [A]),
  ofArrow('an instant of nanoseconds', { d: rawVector(new arrow.Timestamp(NANO, 'UTC'), BigInt64Array.of(20459n * 86_400_000_000_000n - 1n), 1) }, [['2026-01-06', 'a', 1]], BERLIN),
  ofArrow('microseconds before 1970', { d: rawVector(new arrow.Timestamp(arrow.TimeUnit.MICROSECOND, null), BigInt64Array.of(-1n), 1) }, [['1969-12-31', 'a', 1]]),
  ofArrow('an instant before 1970', { d: rawVector(new arrow.Timestamp(arrow.TimeUnit.MICROSECOND, 'UTC'), BigInt64Array.of(-3_600_000_001n), 1) }, [['1969-12-31', 'a', 1]], BERLIN),
  ofArrow('seconds', { d: rawVector(new arrow.Timestamp(arrow.TimeUnit.SECOND, null), BigInt64Array.of(20458n * 86400n), 1) }, [A]),
  ofArrow(
    'a timestamp as a member is its day',
    { k: rawVector(new arrow.Timestamp(arrow.TimeUnit.MILLISECOND, null), BigInt64Array.of(20458n * 86_400_000n + 5n), 1) },
    [[DAY, '2026-01-05', 1]],
  ),
  ofArrow(
    'an instant as a member is its day in the time zone',
    { k: rawVector(new arrow.Timestamp(arrow.TimeUnit.MILLISECOND, 'UTC'), BigInt64Array.of(20459n * 86_400_000n - 1n), 1) },
    [[DAY, '2026-01-06', 1]],
    BERLIN,
  ),
  ofArrow('a day as a member', { k: rawVector(new arrow.DateDay(), Int32Array.of(20458), 1) }, [[DAY, '2026-01-05', 1]]),
  ofArrow('yes and no as members', { k: vector([true], new arrow.Bool()) }, [[DAY, 'true', 1]]),
  ofArrow('yes and no as amounts', { v: vector([true], new arrow.Bool()) }, fault('bad-number', 'is not a number')),
  ofArrow('a dictionary', { k: vector(['a'], new arrow.Dictionary(new arrow.Utf8(), new arrow.Int32())) }, [A]),
  ofArrow('a dictionary of days', { d: vector([new Date('2026-01-05T00:00:00Z')], new arrow.Dictionary(new arrow.DateDay(), new arrow.Int32())) }, [A]),
  ofArrow('decimals', { v: rawVector(new arrow.Decimal(2, 20, 128), Uint32Array.of(150, 0, 0, 0), 1) }, [[DAY, 'a', 1.5]]),
  ofArrow('negative decimals', { v: rawVector(new arrow.Decimal(2, 20, 128), Uint32Array.of(0xffffff6a, 0xffffffff, 0xffffffff, 0xffffffff), 1) }, [[DAY, 'a', -1.5]]),
  ofArrow('decimals as members', { k: rawVector(new arrow.Decimal(4, 20, 128), Uint32Array.of(15000, 0, 0, 0), 1) }, [[DAY, '1.5', 1]]),
  ofArrow('nothing but blanks', { v: arrow.makeVector(arrow.makeData({ type: new arrow.Null(), length: 1, nullCount: 1 } as never) as never) as arrow.Vector }, [[DAY, 'a', null]]),
  ofArrow('lists', { v: vector([[1]], new arrow.List(new arrow.Field('item', new arrow.Int32()))) }, fault('unusable-column', 'column v holds lists')),
  ofArrow('lists that nobody uses', { x: vector([[1]], new arrow.List(new arrow.Field('item', new arrow.Int32()))) }, [A]),
  ofArrow('bytes', { k: vector([Uint8Array.of(1)], new arrow.Binary()) }, fault('unusable-column', 'column k holds bytes')),
  ofArrow('times of day', { v: rawVector(new arrow.TimeSecond(), Int32Array.of(5), 1) }, fault('unusable-column', 'times of day')),
  { name: 'arrow: a stream', ending: 'arrow', bytes: arrowFile({ d: days, k: members, v: ones }, 'stream'), want: [A] },
  { name: 'feather: the other ending', ending: 'feather', bytes: arrowFile({ d: days, k: members, v: ones }), want: [A] },
  { name: 'arrow: nothing', ending: 'arrow', bytes: new Uint8Array(0), want: fault('bad-file', 'is no Arrow file') },
  { name: 'arrow: some text', ending: 'arrow', bytes: utf8('d,k,v\n'), want: fault('bad-file', 'is no Arrow file') },
  { name: 'parquet: nothing', ending: 'parquet', bytes: new Uint8Array(0), want: fault('bad-file', 'is no Parquet file') },
  { name: 'parquet: some text', ending: 'parquet', bytes: utf8('d,k,v\n'), want: fault('bad-file', 'is no Parquet file') },
  { name: 'another ending', ending: 'xls', bytes: utf8('d,k,v\n'), want: fault('unknown-file-kind', 'cannot be read') },
];

export const FILE_CASES: readonly FileCase[] = [...structure, ...texts, ...ofJson, ...typed];
