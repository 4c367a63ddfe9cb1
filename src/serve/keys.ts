// Who may ask: keys, of which only hashes are written down, each with the models and members it may see (V3).
import { createHash, randomBytes, timingSafeEqual } from 'node:crypto';
import { DurchblickError, type TextPlace } from '../errors.ts';
import type { Question } from '../model/schema.ts';
import { HttpProblem } from './problem.ts';

/** A key as its file has it. */
export interface Key {
  readonly name: string;
  readonly hash: Uint8Array;
  /** Models it may ask; all when undefined. */
  readonly models: readonly string[] | undefined;
  /** Filters fixed for good, in every model it may ask. */
  readonly where: Question['where'];
  /** Filters whose members stand in rows of a table of the model. */
  readonly rights: readonly Right[];
}

/** Members of an attribute that a key may see: those in the column `value` of the rows of a source whose column `key` has its name. */
export interface Right {
  readonly attribute: string;
  readonly table: string;
  readonly key: string;
  readonly value: string;
}

const RIGHT_KEYS = ['table', 'key', 'value'];
/** Filters by rows, and those by value. */
const filtersIn = (
  where: Readonly<Record<string, unknown>>,
  wrong: (message: string, name: string) => never,
): Pick<Key, 'where' | 'rights'> => {
  const isByRows = (value: unknown): value is Readonly<Record<string, unknown>> =>
    typeof value === 'object' && value !== null && 'table' in value;
  const entries = Object.entries(where);
  const rights = entries.flatMap(([attribute, value]): Right[] => {
    if (!isByRows(value)) return [];
    if (Object.keys(value).length !== RIGHT_KEYS.length || RIGHT_KEYS.some((name) => typeof value[name] !== 'string'))
      return wrong(`the filter of ${attribute} is by rows, and does not say which`, attribute);
    return [{ attribute, table: value.table as string, key: value.key as string, value: value.value as string }];
  });
  const plain = entries.filter(([, value]) => !isByRows(value));
  return { where: plain.length === 0 ? undefined : (Object.fromEntries(plain) as Question['where']), rights };
};

const HASH = /^sha256:([0-9a-f]{64})$/;
const digest = (text: string): Buffer => createHash('sha256').update(text, 'utf8').digest();

/** A new key, and the hash to write down. Keys are as long as chance needs, so that a plain hash keeps them. */
export const newKey = (): { readonly key: string; readonly hash: string } => {
  const key = randomBytes(32).toString('base64url');
  return { key, hash: `sha256:${digest(key).toString('hex')}` };
};

const HINT =
  'keys: is a list of { name: sales-west, hash: sha256:…, models: [gruenhof], where: { region: West } }, or { region: { table: key_rights, key: holder, value: region } } for members in rows of the model; `durchblick serve --new-key` makes one.';
const KNOWN = ['name', 'hash', 'models', 'where'];

/** Reads the keys of a file; what is wrong is told with its place. */
export const keysOf = (
  written: unknown,
  locate: (path: readonly (string | number)[]) => TextPlace | undefined,
  models: readonly string[],
): readonly Key[] => {
  const wrong = (message: string, path: readonly (string | number)[]): never => {
    throw new DurchblickError('bad-keys', message, { hint: HINT, place: locate(path) });
  };
  const list = (written as { keys?: unknown } | null)?.keys;
  if (!Array.isArray(list) || list.length === 0) return wrong('there are no keys', []);
  const names = new Set<string>();
  return list.map((own: Record<string, unknown>, k): Key => {
    const at = ['keys', k];
    if (typeof own !== 'object' || own === null) return wrong('a key is a map', at);
    for (const name of Object.keys(own)) if (!KNOWN.includes(name)) wrong(`a key has no "${name}"`, [...at, name]);
    const { name, hash, where, models: may } = own;
    if (typeof name !== 'string' || name === '') return wrong('a key needs a name', at);
    if (names.has(name)) return wrong(`two keys are named "${name}"`, [...at, 'name']);
    names.add(name);
    const hex = typeof hash === 'string' ? HASH.exec(hash)?.[1] : undefined;
    if (hex === undefined) return wrong(`the hash of "${name}" is none`, [...at, 'hash']);
    if (may !== undefined && !(Array.isArray(may) && may.length > 0 && may.every((model) => models.includes(model as string))))
      return wrong(`the models of "${name}" are not a list of ${models.join(', ')}`, [...at, 'models']);
    if (where !== undefined && (typeof where !== 'object' || where === null || Object.keys(where).length === 0))
      return wrong(`the filters of "${name}" are no map of attributes`, [...at, 'where']);
    const filters = filtersIn((where ?? {}) as Record<string, unknown>, (message, attribute) =>
      wrong(message, [...at, 'where', attribute]),
    );
    return { name, hash: Buffer.from(hex, 'hex'), models: may as readonly string[] | undefined, ...filters };
  });
};

/** Seconds that tries from one address wait after so many that failed. */
const waitAfter = (failed: number): number => (failed < 3 ? 0 : Math.min(60, 2 ** (failed - 3)));
const MOST_ADDRESSES = 10_000;

/**
 * Finds the key of a request. Failed tries from one address are slowed down; whoever has a key is let in all the same, since many
 * may come by one address.
 */
export const keyFinder = (keys: readonly Key[], now: () => number = Date.now) => {
  const tries = new Map<string, { readonly failed: number; readonly until: number }>();
  return (header: string | undefined, address: string): Key => {
    const given = digest(/^Bearer +([^ ]+) *$/i.exec(header ?? '')?.[1] ?? '');
    // All are looked at, so that how long it takes says nothing.
    let found: Key | undefined;
    for (const key of keys) if (timingSafeEqual(key.hash, given)) found = key;
    if (found) return found;
    const { failed, until } = tries.get(address) ?? { failed: 0, until: 0 };
    if (header !== undefined && until > now())
      throw new HttpProblem(
        429,
        'too-many-tries',
        'too many tries with a wrong key',
        'Try again later.',
        Math.ceil((until - now()) / 1000),
      );
    if (header !== undefined) {
      if (tries.size >= MOST_ADDRESSES) tries.delete(tries.keys().next().value as string);
      tries.set(address, { failed: failed + 1, until: now() + waitAfter(failed + 1) * 1000 });
    }
    throw new HttpProblem(401, 'no-key', 'a key is needed', 'Send it as `Authorization: Bearer …`.');
  };
};
