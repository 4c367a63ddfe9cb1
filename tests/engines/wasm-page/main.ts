import { AsyncDuckDB, VoidLogger } from '@duckdb/duckdb-wasm';
import worker from '@duckdb/duckdb-wasm/dist/duckdb-browser-eh.worker.js?url';
import wasm from '@duckdb/duckdb-wasm/dist/duckdb-eh.wasm?url';
import { defineModel, open, type Question } from 'durchblick';
import { duckdbWasm } from 'durchblick/duckdb-wasm';
import { memory, urlFiles } from 'durchblick/memory';
import { parseModel } from 'durchblick/yaml';

const database = new AsyncDuckDB(new VoidLogger(), new Worker(worker));
await database.instantiate(wasm);
const text = await (await fetch('./model.yaml')).text();
const files = urlFiles(new URL('./', location.href));
const book = await open(parseModel(text, 'model.yaml'), duckdbWasm({ database, files }));
const inMemory = await open(parseModel(text, 'model.yaml'), memory({}, { files }));

/** Both engines' answers to a question, and what it took DuckDB. */
const answers = async (question: Question) => ({
  duckdb: JSON.stringify((await book.ask(question)).toJson()),
  memory: JSON.stringify((await inMemory.ask(question)).toJson()),
  fetched: book.cost().fetched,
});
const stopped = async (question: Question): Promise<string> => {
  const control = new AbortController();
  const asked = book.ask(question, { signal: control.signal });
  control.abort();
  return asked.then(
    () => 'answered',
    (error: Error) => error.message,
  );
};
/** Many asks of a book that keeps nothing, every other one given up; what became of them. */
const stress = async (questions: readonly Question[], asks: number) => {
  const unhandled: string[] = [];
  addEventListener('unhandledrejection', ({ reason }) => void unhandled.push(String(reason)));
  const right = await Promise.all(questions.map(async (question) => JSON.stringify((await inMemory.ask(question)).toJson())));
  const fresh = await open(parseModel(text, 'model.yaml'), duckdbWasm({ database, files }), { cacheBytes: 0 });
  const found = { right: 0, aborted: 0, wrong: [] as string[] };
  for (let batch = 0; batch < asks / 100; batch++)
    await Promise.all(
      Array.from({ length: 100 }, async (_, k) => {
        const at = (batch + k) % questions.length;
        const control = new AbortController();
        const givenUp = k % 2 === 1;
        if (givenUp && k % 6 === 1) control.abort();
        const asking = fresh.ask(questions[at], { signal: control.signal });
        if (givenUp && k % 6 === 3) control.abort();
        if (givenUp && k % 6 === 5) setTimeout(() => control.abort(), k % 40);
        const said = await asking.then(
          (result) => JSON.stringify(result.toJson()),
          (error: Error) => error.message,
        );
        if (said === right[at]) found.right++;
        else if (givenUp && said === 'the question was aborted') found.aborted++;
        else found.wrong.push(said.slice(0, 200));
      }),
    );
  await fresh.close();
  await new Promise((resolve) => setTimeout(resolve, 100));
  return { ...found, unhandled };
};
/** What opening and asking a model says that has one fact from a query, and one that is handed over. */
const queried = async (query: string): Promise<string> => {
  const fact = (source: string) => ({ source, dates: { ordered: 'd' }, measures: { [source]: { count: 'rows' as const } } });
  const facts = { lines: fact('lines'), more: fact('more') };
  const model = defineModel({ sources: { lines: { query }, more: { table: 'more' } }, facts });
  return open(model, duckdbWasm({ database, tables: { more: [{ d: '2026-01-05' }, { d: '2026-01-06' }] } }))
    .then(async (queriedBook) => (await queriedBook.ask({ show: ['lines', 'more'], by: 'month' })).toCsv())
    .catch((error: Error) => error.message);
};
Object.assign(window, { answers, stopped, stress, queried });
document.body.dataset.ready = 'yes';
