// What both processes of the server hold to: limits of requests, and headers.

/** Seconds in which a request must have come in. */
export const MAX_REQUEST_SECONDS = 30;
/** Bytes of a request body at most. */
export const MAX_BODY_BYTES = 2 ** 20;

/** Header with the address of the client, for the process that computes. */
export const CLIENT_ADDRESS = 'x-client-address';

/** Headers of every response. */
export const SAFE = {
  'x-content-type-options': 'nosniff',
  'referrer-policy': 'no-referrer',
  'content-security-policy':
    "default-src 'self'; style-src 'self' 'unsafe-inline'; script-src 'self' 'wasm-unsafe-eval' 'unsafe-eval'; worker-src 'self' blob:; img-src 'self' data: blob:; frame-ancestors 'none'",
} as const;
