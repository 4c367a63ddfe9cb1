// What went wrong, as RFC 9457 has it: `application/problem+json`.
import { DurchblickError, placeText } from '../errors.ts';

export interface Problem {
  /** Tells kinds of problems apart, for programs. */
  readonly type: string;
  readonly title: string;
  readonly status: number;
  readonly code: string;
  readonly detail?: string;
  /** The text that the problem is about, and the place in it, from 0. */
  readonly text?: string;
  readonly at?: number;
  /** What would be right. */
  readonly hint?: string;
  /** Where in the model, or in a text, counting from 1. */
  readonly place?: string;
  /** All faults, where there are several. */
  readonly faults?: readonly { readonly code: string; readonly title: string; readonly hint?: string; readonly place?: string }[];
}

/** A problem of HTTP itself, not of a model or question. */
export class HttpProblem extends Error {
  readonly status: number;
  readonly code: string;
  readonly hint: string | undefined;
  /** Seconds until another try makes sense. */
  readonly retryAfter: number | undefined;

  constructor(status: number, code: string, message: string, hint?: string, retryAfter?: number) {
    super(message);
    this.status = status;
    this.code = code;
    this.hint = hint;
    this.retryAfter = retryAfter;
  }
}

const OF_KIND = { request: 400, data: 503, engine: 503 } as const;
/** Codes whose status says more than that of their kind. */
const OF_CODE: Readonly<Record<string, number>> = { timeout: 504, 'no-package': 501 };

const shown = ({ code, message, hint, place }: DurchblickError) => ({
  code,
  title: message,
  ...(hint === undefined ? {} : { hint }),
  ...(place ? { place: placeText(place).replace(/: $/, '') } : {}),
});

/** Engine errors whose messages contain no connection details. */
const TOLD = new Set(['timeout', 'closed', 'no-package', 'aborted']);

/**
 * Converts an error into a problem document. Internal faults keep their details for the log. Readers with a key (`others`) get no
 * connection details.
 */
export const problemOf = (error: unknown, reader: 'own' | 'others'): Problem => {
  if (error instanceof DurchblickError) {
    const { code, kind, all, text, at } = error;
    if (reader === 'others' && kind === 'engine' && !TOLD.has(code))
      return {
        type: `urn:durchblick:problem:${code}`,
        title: 'the data source is unavailable; see the server log',
        status: OF_CODE[code] ?? OF_KIND[kind],
        code,
        hint: 'Retry later.',
      };
    return {
      type: `urn:durchblick:problem:${code}`,
      status: OF_CODE[code] ?? OF_KIND[kind],
      ...shown(error),
      ...(text === undefined || at === undefined ? {} : { detail: `${text}\n${' '.repeat(at)}^`, text, at }),
      ...(all.length > 1 ? { faults: all.map(shown) } : {}),
    };
  }
  if (error instanceof HttpProblem) {
    const { code, status, message, hint } = error;
    return { type: `urn:durchblick:problem:${code}`, title: message, status, code, ...(hint === undefined ? {} : { hint }) };
  }
  // What the framework finds wrong with a request has its status.
  const { statusCode, message } = error as { statusCode?: number; message?: string };
  if (statusCode !== undefined && statusCode >= 400 && statusCode < 500)
    return {
      type: 'urn:durchblick:problem:bad-request',
      title: message ?? 'the request is wrong',
      status: statusCode,
      code: 'bad-request',
    };
  return {
    type: 'urn:durchblick:problem:fault',
    title: 'this is a fault in Durchblick itself; the log has it',
    status: 500,
    code: 'fault',
  };
};
