// The same calls over HTTP, where `durchblick serve` serves the page: the server answers, the page draws.
import { type Explanation, type FiredAlert, type ModelFacts, partWords, type Question, type ResultJson, resultFromJson } from 'durchblick';
import type { Answered, Calls, Fault, OpenedModel } from './protocol.ts';

/** Where models are served; empty where the page opens its model itself. */
export const SERVER = document.querySelector<HTMLMetaElement>('meta[name="server"]')?.content ?? '';

/** An error that a worker or a server sent. */
export class Failed extends Error {
  readonly fault: Fault;
  constructor(fault: Fault) {
    super(fault.message);
    this.fault = fault;
  }
}

const KEY = 'durchblick-key';
/** The key that is sent along, kept for as long as the tab is open. */
export const keepKey = (key: string): void => sessionStorage.setItem(KEY, key);

let facts: OpenedModel | undefined;
let model = '';

const ask = async (path: string, body?: unknown): Promise<Response> => {
  const key = sessionStorage.getItem(KEY);
  const headers = {
    ...(key ? { authorization: `Bearer ${key}` } : {}),
    ...(body === undefined ? {} : { 'content-type': 'application/json' }),
  };
  const response = await fetch(
    `${SERVER}${path}`,
    body === undefined ? { headers } : { method: 'POST', headers, body: JSON.stringify(body) },
  );
  if (response.ok) return response;
  const problem = (await response.json().catch(() => undefined)) as (Fault & { readonly title: string }) | undefined;
  if (!problem) throw new Failed({ code: 'fault', message: `the server answers with ${response.status}` });
  const { code, title, hint, text, at } = problem;
  throw new Failed({ code, message: title, ...(hint ? { hint } : {}), ...(text === undefined ? {} : { text, at }) });
};
const json = async <T>(path: string, body?: unknown): Promise<T> => (await ask(path, body)).json() as Promise<T>;

export interface ServedName {
  readonly name: string;
  readonly title: string;
}
export const servedModels = (): Promise<readonly ServedName[]> => json('');

type Over = { [K in keyof Calls]?: (...args: Parameters<Calls[K]>) => Promise<ReturnType<Calls[K]>> };

export const overHttp: Over = {
  /** The model that the address names behind its `#`, else the first. */
  open: async () => {
    const models = await servedModels();
    const wanted = decodeURIComponent(location.hash.slice(1));
    const found = models.find(({ name }) => name === wanted) ?? models[0];
    if (!found) throw new Failed({ code: 'no-model', message: 'no model is served' });
    model = `/${encodeURIComponent(found.name)}`;
    facts = { ...(await json<ModelFacts>(model)), text: '' };
    return facts;
  },
  ask: async (question) => {
    const start = performance.now();
    const found = await json<ResultJson>(`${model}/ask`, question);
    return { ...found, table: resultFromJson(found).toTable(), milliseconds: performance.now() - start } as Answered;
  },
  csv: async (question: Question) => (await ask(`${model}/ask?format=csv`, question)).text(),
  alerts: (asOf) => json<readonly FiredAlert[]>(`${model}/alerts${asOf === undefined ? '' : `?as-of=${encodeURIComponent(asOf)}`}`),
  explain: async (request) => {
    const found = await json<Explanation>(`${model}/explain`, request);
    return { found, words: found.parts.map((part) => partWords(part, facts?.locale ?? 'en')) };
  },
  sql: async (question) => (await ask(`${model}/sql`, question)).text(),
};
