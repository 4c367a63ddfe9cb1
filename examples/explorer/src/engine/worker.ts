import { type Book, DurchblickError, modelFacts, open, partWords, type Question } from 'durchblick';
import { draftModel } from 'durchblick/draft';
import { memory, urlFiles } from 'durchblick/memory';
import { questionYaml, readModel } from 'durchblick/yaml';
import type { Answered, Calls, Fault, OpenedModel } from './protocol.ts';

type Reading = (path: string) => Promise<Uint8Array>;

/** The one book of the page. Numbers are counted here, so that the page never waits for them. */
let book: Book | undefined;
let opened: { readonly text: string; readonly files: Reading } | undefined;
/** A second book on DuckDB, only for those who want to read statements. */
let statements: { readonly text: string; readonly ask: (question: Question) => Promise<string> } | undefined;

const theBook = (): Book => {
  if (!book) throw new DurchblickError('no-model', 'no model is open');
  return book;
};

const MODEL = 'model.yaml';
/** The model's own text beside the files that it includes. */
const withText =
  (text: string, files: Reading) =>
  async (path: string): Promise<Uint8Array> =>
    path === MODEL ? new TextEncoder().encode(text) : files(path);

const openWith = async (text: string, files: Reading): Promise<OpenedModel> => {
  const next = await open(await readModel(MODEL, withText(text, files)), memory({}, { files }));
  await book?.close();
  book = next as Book;
  opened = { text, files };
  statements = undefined;
  return { ...(await modelFacts(book)), text };
};

const answered = async (question: Question): Promise<Answered> => {
  const start = performance.now();
  const result = await theBook().ask(question as never);
  const milliseconds = performance.now() - start;
  return { ...result.toJson(), table: result.toTable(), milliseconds } as Answered;
};

/** Statements of a question, over tables named as the sources are. */
const sqlOf = async (question: Question): Promise<string> => {
  if (!opened) throw new DurchblickError('no-model', 'no model is open');
  if (statements?.text !== opened.text) {
    const [{ AsyncDuckDB, VoidLogger }, { duckdbWasm }, { format }, wasm, script] = await Promise.all([
      import('@duckdb/duckdb-wasm'),
      import('durchblick/duckdb-wasm'),
      import('sql-formatter'),
      import('@duckdb/duckdb-wasm/dist/duckdb-eh.wasm?url'),
      import('@duckdb/duckdb-wasm/dist/duckdb-browser-eh.worker.js?url'),
    ]);
    const database = new AsyncDuckDB(new VoidLogger(), new Worker(script.default));
    await database.instantiate(wasm.default);
    let traced: { readonly about: string; readonly sql: string }[] = [];
    const engine = duckdbWasm({ database, files: opened.files, inPlace: true, trace: (statement) => void traced.push(statement) });
    const own = await open(await readModel(MODEL, withText(opened.text, opened.files)), engine);
    statements = {
      text: opened.text,
      ask: async (asked) => {
        traced = [];
        await own.ask(asked as never);
        return traced.map(({ about, sql }) => `-- ${about}\n${format(sql, { language: 'duckdb', keywordCase: 'lower' })};\n`).join('\n');
      },
    };
  }
  return statements.ask(question);
};

const calls: { [K in keyof Calls]: (...args: Parameters<Calls[K]>) => Promise<ReturnType<Calls[K]>> } = {
  open: (text, base) => openWith(text, urlFiles(base)),
  openFiles: (text, files) => {
    // A model names files by their paths below it; here they have come without their folders.
    const base = (path: string): string => path.slice(path.lastIndexOf('/') + 1);
    const named = (path: string): Uint8Array | undefined => {
      const exact = files.find(([name]) => name === path) ?? files.filter(([name]) => name === base(path))[0];
      return exact?.[1];
    };
    return openWith(text, async (path) => {
      const bytes = named(path);
      if (!bytes)
        throw new DurchblickError('no-file', `${path} was not opened with the model`, {
          hint: `Choose the model and all of its files together; here are ${files.map(([name]) => name).join(', ') || 'none'}.`,
        });
      return bytes;
    });
  },
  draft: (files) => draftModel(files.map(([file, bytes]) => ({ file, bytes }))),
  ask: answered,
  csv: async (question) => (await theBook().ask(question as never)).toCsv(),
  alerts: async (asOf) => theBook().alerts(asOf),
  explain: async (request) => {
    const { locale } = theBook().model;
    const found = await theBook().explain(request);
    return { found, words: found.parts.map((part) => partWords(part, locale)) };
  },
  sql: sqlOf,
  yaml: async (name, question) => questionYaml(name, question),
};

const faultOf = (error: unknown): Fault => {
  if (error instanceof DurchblickError) {
    const { code, message, hint, text, at, place } = error;
    const where = place?.line === undefined ? '' : `line ${place.line}: `;
    return {
      code,
      message: `${where}${message}`,
      ...(hint ? { hint } : {}),
      ...(text === undefined ? {} : { text }),
      ...(at === undefined ? {} : { at }),
    };
  }
  return { code: 'fault', message: (error as Error).message };
};

self.addEventListener('message', async ({ data }: MessageEvent<{ id: number; call: keyof Calls; args: readonly unknown[] }>) => {
  try {
    const run = calls[data.call] as (...args: readonly unknown[]) => Promise<unknown>;
    self.postMessage({ id: data.id, value: await run(...data.args) });
  } catch (error) {
    self.postMessage({ id: data.id, fault: faultOf(error) });
  }
});
