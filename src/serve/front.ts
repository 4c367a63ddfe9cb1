// The process that listens. It passes requests to a process that computes, and replaces that one when it is stuck.
import { Agent, createServer, request as httpRequest, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { jsonText } from './formats.ts';
import { HttpProblem, problemOf } from './problem.ts';
import { CLIENT_ADDRESS, MAX_BODY_BYTES, MAX_REQUEST_SECONDS, SAFE } from './safe.ts';

/** A run of the process that computes. */
export interface Computing {
  /** The Unix socket at which it answers. */
  readonly socketPath: string;
  /** Time of its last heartbeat, in milliseconds. */
  readonly lastHeartbeat: () => number;
  readonly exited: Promise<void>;
  readonly kill: () => void;
  /** Ends it when its requests are done. */
  readonly end: () => Promise<void>;
}

export interface FrontOptions {
  /** Starts the process that computes; resolves when it answers. */
  readonly start: () => Promise<Computing>;
  /** Seconds without a heartbeat after which it is replaced. */
  readonly seconds: number;
  /** Called when it is replaced. */
  readonly replaced?: (why: 'stuck' | 'ended') => void;
}

export interface Front {
  readonly server: Server;
  /** Stops listening, waits for the requests under way, and ends the process that computes. */
  readonly close: () => Promise<void>;
  /** Ends everything at once. */
  readonly closeNow: () => void;
}

/** Milliseconds between checks that the process is not blocked, and before another try to start it. */
const [CHECK_INTERVAL, RETRY_DELAY] = [250, 1000];
/** Milliseconds that a connection without requests stays open. */
const IDLE = 72_000;
/** Headers of a connection, not of an answer. */
const OF_CONNECTION = new Set(['connection', 'keep-alive', 'proxy-connection', 'transfer-encoding']);

const sendJson = (response: ServerResponse, status: number, type: string, value: unknown, more: Readonly<Record<string, string>> = {}) => {
  response.writeHead(status, { ...SAFE, 'content-type': `${type}; charset=utf-8`, 'cache-control': 'no-store', ...more });
  response.end(jsonText(value));
};

const sendProblem = (response: ServerResponse, problem: HttpProblem): void => {
  if (response.headersSent) return void response.destroy();
  const retry: Record<string, string> = problem.retryAfter === undefined ? {} : { 'retry-after': String(problem.retryAfter) };
  sendJson(response, problem.status, 'application/problem+json', problemOf(problem, 'others'), retry);
};

const tooSlow = (seconds: number): HttpProblem =>
  new HttpProblem(504, 'too-slow', `the answer takes more than ${seconds} seconds`, 'Ask for a shorter range or fewer members.');
const restarting = (): HttpProblem =>
  new HttpProblem(503, 'restarting', 'the server restarts its computation', 'Ask again in a moment.', 2);

const headersTo = ({ headers, socket }: IncomingMessage, body: Buffer) => {
  const { 'transfer-encoding': _, 'content-length': __, expect: ___, ...own } = headers;
  return { ...own, [CLIENT_ADDRESS]: socket.remoteAddress ?? '', ...(body.length > 0 ? { 'content-length': String(body.length) } : {}) };
};

const headersFrom = ({ rawHeaders }: IncomingMessage): string[] =>
  rawHeaders.filter((_, k) => !OF_CONNECTION.has(rawHeaders[k - (k % 2)].toLowerCase()));

const tooLarge = (): HttpProblem =>
  new HttpProblem(413, 'too-large', `the body has more than ${MAX_BODY_BYTES} bytes`, 'Ask in several queries.');

/** The body of a request; undefined if it is too large. It is passed on whole, so that none holds up the process that computes. */
const readBody = (request: IncomingMessage): Promise<Buffer | undefined> =>
  new Promise((done) => {
    const pieces: Buffer[] = [];
    let size = 0;
    request.on('data', (piece: Buffer) => {
      size += piece.length;
      if (size > MAX_BODY_BYTES) done(undefined);
      else pieces.push(piece);
    });
    request.once('end', () => done(Buffer.concat(pieces)));
    request.once('error', () => done(undefined));
  });

/** A request under way. */
interface Passing {
  readonly since: number;
  readonly response: ServerResponse;
}

/** The server in front, not yet listening. Errors of the first start are those of `start`. */
export const createFront = async ({ start, seconds, replaced = () => undefined }: FrontOptions): Promise<Front> => {
  const agent = new Agent({ keepAlive: true });
  const passing = new Set<Passing>();
  let [isEnding, isStuck] = [false, false];
  let allDone = (): void => undefined;
  let current: Promise<Computing>;
  let running: Computing | undefined;

  const watch = (computing: Computing): Computing => {
    running = computing;
    computing.exited.then(() => {
      running = undefined;
      if (isEnding) return;
      replaced(isStuck ? 'stuck' : 'ended');
      const now = Date.now();
      for (const { since, response } of passing) sendProblem(response, now - since > seconds * 1000 ? tooSlow(seconds) : restarting());
      isStuck = false;
      current = restart();
    });
    return computing;
  };
  const restart = async (): Promise<Computing> => {
    for (;;) {
      const computing = await start().catch(() => undefined);
      if (computing) return watch(computing);
      await new Promise((done) => setTimeout(done, RETRY_DELAY).unref());
    }
  };
  current = Promise.resolve(watch(await start()));

  const checking = setInterval(() => {
    if (!running || isStuck || Date.now() - running.lastHeartbeat() < seconds * 1000) return;
    isStuck = true;
    running.kill();
  }, CHECK_INTERVAL);
  checking.unref();

  /** The process that computes, or none if it does not answer soon. */
  const ready = (): Promise<Computing | undefined> =>
    Promise.race([current, new Promise<undefined>((done) => void setTimeout(() => done(undefined), seconds * 1000).unref())]);

  const forward = async (request: IncomingMessage, response: ServerResponse): Promise<void> => {
    const own: Passing = { since: Date.now(), response };
    passing.add(own);
    response.once('close', () => {
      passing.delete(own);
      if (passing.size === 0) allDone();
    });
    const body = await readBody(request);
    if (!body) {
      // The rest of the body is not read.
      response.shouldKeepAlive = false;
      response.once('finish', () => request.destroy());
      return sendProblem(response, tooLarge());
    }
    const computing = running ?? (await ready());
    if (!computing) return sendProblem(response, restarting());
    const { method, url: path } = request;
    const options = { socketPath: computing.socketPath, agent, method, path, headers: headersTo(request, body) };
    const passed = httpRequest(options, (answer) => {
      response.writeHead(answer.statusCode ?? 502, headersFrom(answer));
      answer.on('error', () => response.destroy());
      answer.pipe(response);
    });
    passed.on('error', () => response.writableEnded || sendProblem(response, restarting()));
    response.once('close', () => void (response.writableFinished || passed.destroy()));
    passed.end(body);
  };

  const server = createServer((request, response) => {
    if (request.url === '/live') sendJson(response, 200, 'application/json', { live: true });
    else void forward(request, response);
  });
  server.requestTimeout = MAX_REQUEST_SECONDS * 1000;
  server.keepAliveTimeout = IDLE;
  server.on('clientError', (_, socket) => void (socket.writable && socket.end('HTTP/1.1 400 Bad Request\r\nconnection: close\r\n\r\n')));

  return {
    server,
    close: async () => {
      isEnding = true;
      clearInterval(checking);
      server.close();
      if (passing.size > 0) await new Promise<void>((done) => void (allDone = done));
      // Connections that wait for more requests do not keep it.
      server.closeAllConnections();
      await running?.end();
      agent.destroy();
    },
    closeNow: () => {
      isEnding = true;
      server.closeAllConnections();
      running?.kill();
    },
  };
};
