// The HTTP interface over opened models: routes from the table, keys, turns, forms, states as ETags.
import { createHash } from 'node:crypto';
import { Readable } from 'node:stream';
import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import { stableText } from '../basics/fingerprint.ts';
import type { Book } from '../book/types.ts';
import type { Question } from '../model/schema.ts';
import { sharedWork } from '../plan/cancel.ts';
import { API_PAGE, API_SCRIPT } from './api-page.ts';
import { type Content, type FormatName, jsonText, MEDIA } from './formats.ts';
import { type Kept, keptAnswers } from './kept.ts';
import { type Key, keyFinder } from './keys.ts';
import { loadFastify } from './load.ts';
import { sharedLook } from './looks.ts';
import { METRICS_TYPE, metricsOf, REQUESTS } from './metrics.ts';
import { openApi } from './openapi.ts';
import { checkQuery, QUERY_FORMAT, type Query } from './parameters.ts';
import { HttpProblem, problemOf } from './problem.ts';
import { filtersFor, type ReadRows } from './rights.ts';
import { ROUTES, type Route } from './routes.ts';
import { CLIENT_ADDRESS, MAX_BODY_BYTES, MAX_REQUEST_SECONDS, SAFE } from './safe.ts';
import { type Turns, turnsOf } from './turns.ts';

/** A model that is served: how it is opened, under filters fixed for good, and the statements of a question. */
export interface ServedModel {
  /** Its name in addresses. */
  readonly name: string;
  readonly title: string;
  readonly open: (where: Question['where']) => Promise<Book>;
  readonly statements?: (question: Question, where: Question['where']) => Promise<string>;
  /** Rows of a source, for keys whose filters stand in them. */
  readonly rows: ReadRows;
}

export interface ServeOptions {
  readonly models: readonly ServedModel[];
  readonly keys?: readonly Key[];
  readonly version: string;
  /** Questions that run at once; default 8. */
  readonly atOnce?: number;
  /** Questions that wait for their turn; more are refused with 503. Default 200. */
  readonly line?: number;
  /** Seconds that an answer may take; default 60. */
  readonly seconds?: number;
  /** Bytes of answers to keep for those who ask the same of the same state; default 64 MiB. */
  readonly keptBytes?: number;
  /** Bytes of a question that is sent; default 1 MiB. */
  readonly bodyBytes?: number;
  /** Log lines go there; none when left out. */
  readonly log?: { readonly write: (line: string) => void };
  /** Files of the page, by path, with their media types; none when left out. */
  readonly page?: (path: string) => Promise<{ readonly content: Content; readonly type: string } | undefined>;
}

/** Everything that requests are answered from. */
interface Served extends Required<Pick<ServeOptions, 'version' | 'seconds'>> {
  readonly models: ReadonlyMap<string, ServedModel>;
  readonly findKey: ((header: string | undefined, address: string) => Key) | undefined;
  /** Books by model and fixed filters. */
  readonly books: Map<string, SharedBook>;
  /** Filters that stand in rows, by key and model, for the state of the data in which they were read. */
  readonly rights: Map<string, { readonly state: string; readonly where: Promise<Question['where']> }>;
  readonly kept: Kept;
  readonly turns: Turns;
  /** Answers under way, by what they answer. */
  readonly underWay: Map<string, { readonly content: Promise<Content>; readonly work: ReturnType<typeof sharedWork> }>;
}

/** A book, and how its data are looked at: what tells their state and the present day apart. */
interface Opened {
  readonly book: Book;
  readonly look: () => Promise<{ readonly turnedBad: string | undefined }>;
}

/** A book with its number of users; a retired book closes when the last user is done. */
interface SharedBook {
  readonly opened: Promise<Opened>;
  users: number;
  isRetired: boolean;
}

const openedOf = async (book: Promise<Book>): Promise<Opened> => {
  const own = await book;
  const look = sharedLook(async () => {
    const state = await own.refresh();
    return { model: state?.model, data: state?.data, turnedBad: state?.turnedBad, today: await own.asOf('today') };
  });
  return { book: own, look };
};

/** Whether a host, with a port or without, is this machine alone. */
export const isLoopback = (host: string): boolean => /^(localhost|127(\.\d{1,3}){3}|\[?::1\]?)(:\d+)?$/i.test(host);

const bookName = ({ name }: ServedModel, where: Question['where']): string => `${name} ${where === undefined ? '' : stableText(where)}`;

const shareBook = (served: Served, model: ServedModel, where: Question['where']): SharedBook => {
  const name = bookName(model, where);
  const known = served.books.get(name);
  if (known) return known;
  const made: SharedBook = { opened: openedOf(model.open(where)), users: 0, isRetired: false };
  served.books.set(name, made);
  // Do not cache a failed open.
  made.opened.catch(() => void (served.books.get(name) === made && served.books.delete(name)));
  return made;
};

const closeUnused = ({ opened, users, isRetired }: SharedBook): void => {
  if (isRetired && users === 0) opened.then(({ book }) => book.close()).catch(() => undefined);
};

/** Runs a callback and keeps the book open until it is done. */
const withBook = async <T>(shared: SharedBook, run: (opened: Opened) => Promise<T>): Promise<T> => {
  shared.users++;
  try {
    return await run(await shared.opened);
  } finally {
    shared.users--;
    closeUnused(shared);
  }
};

/** Removes a book from the pool; it closes after its current requests. */
const retireBook = (served: Served, model: ServedModel, where: Question['where']): void => {
  const name = bookName(model, where);
  const shared = served.books.get(name);
  if (!shared) return;
  served.books.delete(name);
  shared.isRetired = true;
  closeUnused(shared);
};

/** Whether any key currently has these filters. */
const isGranted = async ({ rights }: Served, where: Question['where']): Promise<boolean> => {
  const all = await Promise.all([...rights.values()].map((right) => right.where.catch(() => undefined)));
  return all.some((other) => stableText(other) === stableText(where));
};

/** What a key may see of a model: as its file says, or as rows say in the present state of the data. */
const whereOf = async (served: Served, model: ServedModel, key: Key | undefined): Promise<Question['where']> => {
  if (!key || key.rights.length === 0) return key?.where;
  const state = stableText(await withBook(shareBook(served, model, undefined), ({ look }) => look()));
  const name = stableText([model.name, key.name]);
  const known = served.rights.get(name);
  if (known?.state === state) return known.where;
  const where = filtersFor(key, model.rows);
  served.rights.set(name, { state, where });
  where.catch(() => void (served.rights.get(name)?.where === where && served.rights.delete(name)));
  const [before, now] = [await known?.where.catch(() => undefined), await where];
  if (before && stableText(before) !== stableText(now) && !(await isGranted(served, before))) retireBook(served, model, before);
  return now;
};

/** The model of a request, as far as its key may know that there is one. */
const modelOf = ({ models }: Served, name: string, key: Key | undefined): ServedModel => {
  const found = key?.models && !key.models.includes(name) ? undefined : models.get(name);
  if (!found) throw new HttpProblem(404, 'no-model', `there is no model "${name}"`, 'GET /models lists those that there are.');
  return found;
};

/** The form that is asked for, by parameter or `Accept`. */
const formatOf = (route: Route, query: Query, accepts: (types: string[]) => string | false | string[]): FormatName => {
  if (typeof query.format === 'string') return query.format as FormatName;
  const types = route.formats.map((name) => MEDIA[name]);
  const found = accepts(types);
  if (found === false)
    throw new HttpProblem(406, 'no-such-form', `this is not given as what Accept asks for`, `It is given as ${types.join(', ')}.`);
  return route.formats.find((name) => MEDIA[name] === found) ?? route.formats[0];
};

/** What an answer is told apart by: program, model, data, the present day, and what is asked. */
const tagOf = async ({ version }: Served, { look }: Opened, asked: unknown, signal: AbortSignal): Promise<string> => {
  const text = stableText({ version, seen: await orGivenUp(look(), signal), asked });
  return `W/"${createHash('sha256').update(text).digest('base64url').slice(0, 27)}"`;
};

/** A signal that ends with the connection, or when an answer has taken too long. */
const patience = (reply: FastifyReply, seconds: number): { readonly signal: AbortSignal; readonly end: () => void } => {
  const controller = new AbortController();
  const late = new HttpProblem(
    504,
    'too-slow',
    `the answer takes more than ${seconds} seconds`,
    'Ask for a shorter range or fewer members.',
  );
  const timer = setTimeout(() => controller.abort(late), seconds * 1000);
  const gone = (): void => {
    if (!reply.raw.writableEnded) controller.abort(new HttpProblem(499, 'gone', 'the client has gone away'));
  };
  reply.raw.once('close', gone);
  return {
    signal: controller.signal,
    end: () => {
      clearTimeout(timer);
      reply.raw.off('close', gone);
    },
  };
};

/** The content of an answer; requests for the same thing at the same time are one. */
const contentOf = async (
  served: Served,
  name: string,
  signal: AbortSignal,
  make: (signal: AbortSignal) => Promise<Content>,
): Promise<Content> => {
  const { underWay, turns } = served;
  const before = underWay.get(name);
  if (before && !before.work.signal.aborted) {
    before.work.join(signal);
    return orGivenUp(before.content, signal);
  }
  const work = sharedWork();
  work.join(signal);
  const controller = new AbortController();
  work.signal.addEventListener('abort', () => controller.abort(signal.reason));
  const content = turns
    .run(() => make(controller.signal), controller.signal)
    .finally(() => {
      work.end();
      if (underWay.get(name)?.work === work) underWay.delete(name);
    });
  content.catch(() => undefined);
  underWay.set(name, { content, work });
  return orGivenUp(content, signal);
};

/** What some work answers, or why this one has given up waiting for it. */
const orGivenUp = <T>(work: Promise<T>, signal: AbortSignal): Promise<T> =>
  new Promise((resolve, reject) => {
    const leave = (): void => reject(signal.reason);
    if (signal.aborted) return leave();
    signal.addEventListener('abort', leave, { once: true });
    work.then(resolve, reject).finally(() => signal.removeEventListener('abort', leave));
  });

type ModelRequest = FastifyRequest<{ Params: { model: string }; Querystring: Query }>;

const answer = async (served: Served, route: Route, request: ModelRequest, reply: FastifyReply): Promise<Content | undefined> => {
  const { key } = request as { key?: Key };
  const { query } = request;
  const model = modelOf(served, request.params.model, key);
  const format = QUERY_FORMAT(route.formats);
  checkQuery(query, request.method === 'POST' ? { format } : { ...route.takes, format });
  const form = formatOf(route, query, (types) =>
    (request as unknown as { accepts: () => { type: (types: string[]) => string | false } }).accepts().type(types),
  );
  const { signal, end } = patience(reply, served.seconds);
  const answerFrom = async (shared: SharedBook, where: Question['where'], opened: Opened): Promise<Content | undefined> => {
    const { book } = opened;
    const asked = { path: route.path, query: { ...query, format: form }, body: request.body ?? null };
    const told = { ...asked, where, model: model.name };
    const tag = await tagOf(served, opened, told, signal);
    reply
      .header('etag', tag)
      .header('cache-control', served.findKey ? 'private, no-cache' : 'no-cache')
      .header('vary', 'Accept, Authorization');
    if (request.headers['if-none-match']?.split(/, */).includes(tag)) {
      reply.code(304);
      return undefined;
    }
    const name = `${model.name} ${tag}`;
    const kept = served.kept.get(name);
    // Other requests may still wait for the result if this one aborts.
    const make = (own: AbortSignal): Promise<Content> => withBook(shared, () => makeContent(own));
    const makeContent = async (own: AbortSignal): Promise<Content> => {
      const forms = await route.answer({
        book,
        query,
        body: request.body,
        signal: own,
        statements: model.statements && ((question) => (model.statements as NonNullable<ServedModel['statements']>)(question, where)),
      });
      const made = await (forms[form] as () => Content | Promise<Content>)();
      // Data that changed meanwhile are another state: what was made of them is nobody's but this request's.
      if ((await tagOf(served, opened, told, own)) === tag) served.kept.set(name, made);
      return made;
    };
    const content = kept ?? (await contentOf(served, name, signal, make));
    const type = MEDIA[form];
    // A page that is an answer runs its own script, and reaches nothing of this server.
    if (form === 'html') reply.header('content-security-policy', ANSWER_PAGE);
    reply.header('content-type', /^text|json/.test(type) ? `${type}; charset=utf-8` : type);
    return content;
  };
  try {
    const where = await orGivenUp(whereOf(served, model, key), signal);
    const shared = shareBook(served, model, where);
    const content = await withBook(shared, (opened) => answerFrom(shared, where, opened));
    // The filters of the key may have changed during the request.
    if (key && key.rights.length > 0 && !(await isGranted(served, where))) retireBook(served, model, where);
    return content;
  } catch (error) {
    throw signal.aborted ? signal.reason : error;
  } finally {
    end();
  }
};

const ANSWER_PAGE = "sandbox allow-scripts; default-src 'none'; style-src 'unsafe-inline'; script-src 'unsafe-inline'; img-src data:";

/** The address of a client: of a request that the front has passed on, the one that it names. */
const addressOf = ({ ip, headers }: FastifyRequest): string => ip || String(headers[CLIENT_ADDRESS] ?? '');

/** Who may ask, before anything else is looked at. */
const guard = ({ findKey }: Served, request: FastifyRequest): void => {
  if (findKey) (request as { key?: Key }).key = findKey(request.headers.authorization, addressOf(request));
  // A page of somebody else, under a name that leads here, could read what is open to this machine alone.
  else if (!isLoopback(request.headers.host ?? ''))
    throw new HttpProblem(
      403,
      'foreign-host',
      'this server answers to its own machine alone',
      'Ask it as localhost, or serve with --keys.',
    );
  // Cross-site requests could still cause load, even if the page cannot read the response.
  else if (!['same-origin', 'none', undefined].includes(request.headers['sec-fetch-site'] as string | undefined))
    throw new HttpProblem(
      403,
      'foreign-page',
      'cross-site requests are refused',
      'Open the server in the browser, use a client without Sec-Fetch-Site, or serve with --keys.',
    );
};

/** When the server is to end, what runs finishes; connections that wait for more questions do not keep it. */
const addEnd = (app: FastifyInstance): void => {
  let active = 0;
  let told = (): void => undefined;
  const over = (): void => {
    active--;
    if (active === 0) told();
  };
  app.addHook('onRequest', async (_, reply) => {
    active++;
    reply.raw.once('close', over);
  });
  app.addHook('preClose', async () => {
    if (active > 0) await new Promise<void>((done) => void (told = done));
    app.server.closeAllConnections();
  });
};

/** Long texts leave as they are made, and are not made for a client that goes away. */
const sendable = (content: Content): string | Buffer | Readable =>
  typeof content === 'string' ? content : content instanceof Uint8Array ? Buffer.from(content) : Readable.from(content.parts());

const sendProblem = (error: unknown, request: FastifyRequest, reply: FastifyReply): FastifyReply => {
  const problem = problemOf(error, (request as { key?: Key }).key ? 'others' : 'own');
  // The stack of a fault in the program itself is for the log alone.
  if (problem.status >= 500)
    request.log.error({ code: problem.code, ...(problem.code === 'fault' ? { err: error } : { why: (error as Error).message }) }, 'failed');
  const { retryAfter } = error as { retryAfter?: number };
  reply.removeHeader('etag');
  if (retryAfter !== undefined) reply.header('retry-after', String(retryAfter));
  if (problem.status === 401) reply.header('www-authenticate', 'Bearer');
  return reply
    .code(problem.status)
    .header('cache-control', 'no-store')
    .type('application/problem+json; charset=utf-8')
    .send(jsonText(problem));
};

const addErrors = (app: FastifyInstance): void => {
  app.setErrorHandler(sendProblem);
  app.setNotFoundHandler(() => {
    throw new HttpProblem(404, 'no-path', 'there is nothing at this address', 'GET /openapi.json lists what there is.');
  });
};

const addModels = (app: FastifyInstance, served: Served): void => {
  const known = (key: Key | undefined): readonly ServedModel[] =>
    [...served.models.values()].filter(({ name }) => !key?.models || key.models.includes(name));
  app.get('/models', async (request) => known((request as { key?: Key }).key).map(({ name, title }) => ({ name, title })));
  for (const route of ROUTES) {
    const url = `/models/:model${route.path}`;
    const handler = async (request: FastifyRequest, reply: FastifyReply) => {
      const content = await answer(served, route, request as ModelRequest, reply);
      return content === undefined ? reply.send() : reply.send(sendable(content));
    };
    app.get(url, handler);
    if (route.posts) app.post(url, handler);
  }
};

/** Paths that say nothing of models, and need no key: pages ask for it themselves. */
const OPEN = /^\/(live|ready|api|api\.js|index\.html|assets\/[^?]*)?(\?.*)?$/;

/** Maximum nesting of a request body, in levels. */
const MAX_DEPTH = 50;
const isDeeper = (value: unknown, levels: number): boolean =>
  typeof value === 'object' && value !== null && (levels === 0 || Object.values(value).some((inner) => isDeeper(inner, levels - 1)));

const parseBody = (body: string): unknown => {
  const refused = (why: string): HttpProblem => new HttpProblem(400, 'bad-request', `the body ${why}`, 'Send a question as a JSON object.');
  let value: unknown;
  try {
    value = JSON.parse(body);
  } catch (error) {
    throw refused(`is not valid JSON: ${(error as Error).message}`);
  }
  if (isDeeper(value, MAX_DEPTH)) throw refused(`is nested more than ${MAX_DEPTH} levels deep`);
  return value;
};

const fastifyWith = async (options: ServeOptions): Promise<FastifyInstance> => {
  const fastify = await loadFastify();
  const app = fastify({
    logger: options.log ? { level: 'info', stream: options.log } : false,
    logController: new fastify.LogController({ disableRequestLogging: true }),
    bodyLimit: options.bodyBytes ?? MAX_BODY_BYTES,
    // Closes requests whose body never completes.
    requestTimeout: MAX_REQUEST_SECONDS * 1000,
    forceCloseConnections: 'idle',
    routerOptions: { ignoreTrailingSlash: true, maxParamLength: 200 },
    // Malformed URLs.
    frameworkErrors: sendProblem,
  });
  // A question is JSON and nothing else.
  app.removeAllContentTypeParsers();
  app.addContentTypeParser('application/json', { parseAs: 'string' }, async (_: FastifyRequest, body: string) => parseBody(body));
  await app.register(import('@fastify/accepts'));
  await app.register(import('@fastify/compress'), { threshold: 1024 });
  return app;
};

/** The server over models, not yet listening. Every model is opened, so that what is wrong is told at once. */
export const serverOf = async (options: ServeOptions): Promise<FastifyInstance> => {
  const served: Served = {
    version: options.version,
    seconds: options.seconds ?? 60,
    models: new Map(options.models.map((model) => [model.name, model])),
    findKey: options.keys && keyFinder(options.keys),
    books: new Map(),
    rights: new Map(),
    kept: keptAnswers(options.keptBytes ?? 64 * 2 ** 20),
    turns: turnsOf(options.atOnce ?? 8, options.line ?? 200),
    underWay: new Map(),
  };
  const app = await fastifyWith(options);
  const metrics = metricsOf(REQUESTS);
  addEnd(app);
  app.addHook('onRequest', async (request, reply) => {
    reply.headers(SAFE);
    if (!OPEN.test(request.url)) guard(served, request);
  });
  app.addHook('onResponse', async (request, reply) => {
    const route = request.routeOptions.url ?? 'none';
    metrics.done(route, String(reply.statusCode), reply.elapsedTime / 1000);
    request.log.info(
      {
        route,
        method: request.method,
        status: reply.statusCode,
        ms: Math.round(reply.elapsedTime),
        key: (request as { key?: Key }).key?.name,
      },
      'answered',
    );
  });
  addErrors(app);
  app.get('/live', async () => ({ live: true }));
  app.get('/ready', async () => {
    const looks = await Promise.all(
      Array.from(served.books.values(), (shared) =>
        withBook(shared, ({ look }) => look()).then(
          ({ turnedBad }) => turnedBad === undefined,
          () => false,
        ),
      ),
    );
    // How many, and not which: nobody needs a key for this.
    const bad = looks.filter((good) => !good).length;
    return { ready: true, ...(bad > 0 ? { turnedBad: bad } : {}) };
  });
  app.get('/metrics', async (_, reply) => {
    const memory = process.memoryUsage();
    reply.type(METRICS_TYPE);
    return metrics.text({
      questions_running: ['Questions that run now.', served.turns.running()],
      questions_waiting: ['Questions that wait for their turn.', served.turns.waiting()],
      kept_bytes: ['Bytes of answers that are kept.', served.kept.bytes()],
      models: ['Models that are served.', served.models.size],
      memory_bytes: ['Memory of the process.', memory.rss],
    });
  });
  const document = openApi(options.version, options.keys !== undefined);
  app.get('/openapi.json', async () => document);
  app.get('/api', async (_, reply) => reply.type('text/html; charset=utf-8').send(API_PAGE));
  app.get('/api.js', async (_, reply) => reply.type('text/javascript; charset=utf-8').send(API_SCRIPT));
  addModels(app, served);
  if (options.page) addPage(app, options.page);
  app.addHook('onClose', async () => {
    await Promise.all(Array.from(served.books.values(), async ({ opened }) => (await opened.catch(() => undefined))?.book.close()));
  });
  await Promise.all([
    ...new Set(
      (options.keys ?? [undefined]).flatMap((key) =>
        options.models
          .filter(({ name }) => !key?.models || key.models.includes(name))
          .map(async (model) => {
            // A key without a row sees nothing yet, which is no reason not to serve others.
            const where = await whereOf(served, model, key).catch((error: unknown) => {
              if (error instanceof HttpProblem) return undefined;
              throw error;
            });
            if (!key || key.rights.length === 0 || where) await shareBook(served, model, where).opened;
          }),
      ),
    ),
  ]);
  return app;
};

const addPage = (app: FastifyInstance, page: NonNullable<ServeOptions['page']>): void => {
  app.get('/*', async (request, reply) => {
    const found = await page((request.params as { '*': string })['*']);
    if (!found) throw new HttpProblem(404, 'no-path', 'there is nothing at this address', 'GET /openapi.json lists what there is.');
    return reply.type(found.type).send(sendable(found.content));
  });
};
