import { AsyncDuckDB, VoidLogger } from '@duckdb/duckdb-wasm';
import worker from '@duckdb/duckdb-wasm/dist/duckdb-browser-eh.worker.js?url';
import wasm from '@duckdb/duckdb-wasm/dist/duckdb-eh.wasm?url';
import { open, type Question } from 'durchblick';
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
Object.assign(window, { answers, stopped });
document.body.dataset.ready = 'yes';
