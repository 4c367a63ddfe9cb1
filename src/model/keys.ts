// Keys as they may be spelled, kebab-case or camelCase, and what a schema says of a value, with its place.
import type * as z from 'zod/mini';
import { allOf, DurchblickError, suggest, type TextPlace } from '../errors.ts';

export type Path = readonly (string | number)[];
/** Finds the line and column of a path in the text a value was read from: of its value, or of its key. */
export type Locate = (path: Path, of?: 'key' | 'value') => TextPlace | undefined;

type Schema = z.ZodMiniType;
type Definition =
  | { readonly type: 'object'; readonly shape: Readonly<Record<string, Schema>>; readonly catchall?: Schema }
  | { readonly type: 'record'; readonly valueType: Schema }
  | { readonly type: 'array'; readonly element: Schema }
  | { readonly type: 'union'; readonly options: readonly Schema[] }
  | { readonly type: 'optional'; readonly innerType: Schema }
  | { readonly type: 'other' };

const definition = (schema: Schema): Definition => schema._zod.def as unknown as Definition;

const isRecord = (value: unknown): value is Record<string, unknown> => typeof value === 'object' && value !== null && !Array.isArray(value);

export const kebab = (key: string): string => key.replace(/[A-Z]/g, (letter) => `-${letter.toLowerCase()}`);
export const camel = (key: string): string => key.replace(/-([a-z])/g, (_, letter: string) => letter.toUpperCase());

export const pathText = (path: Path): string => path.map(String).join('.');

/** Where something stands, and what is wrong on the way. */
interface Reading {
  readonly locate: Locate;
  readonly fault: (path: Path, code: string, message: string, hint?: string) => void;
}

/** Names that JavaScript keeps for itself: a map that has one is no plain map any more. */
const TAKEN = '__proto__';

/**
 * Gives fixed keys their one spelling (`min-days` becomes `minDays`) and leaves the names of the modeller alone:
 * the schema tells which is which. Unknown keys are faults with the nearest known one, and left out.
 */
const canonical = (schema: Schema, value: unknown, reading: Reading, path: Path): unknown => {
  const def = definition(schema);
  const below = (own: Schema, entry: unknown, step: string | number): unknown => canonical(own, entry, reading, [...path, step]);
  switch (def.type) {
    case 'optional':
      return value === undefined ? undefined : canonical(def.innerType, value, reading, path);
    case 'array':
      return Array.isArray(value) ? value.map((entry, i) => below(def.element, entry, i)) : value;
    case 'union': {
      const wanted = Array.isArray(value) ? 'array' : isRecord(value) ? 'object' : undefined;
      const option = def.options.find((candidate) => definition(candidate).type === wanted);
      return option ? canonical(option, value, reading, path) : value;
    }
    case 'record': {
      if (!isRecord(value)) return value;
      if (Object.hasOwn(value, TAKEN))
        reading.fault([...path, TAKEN], 'bad-name', `"${TAKEN}" cannot be a name`, 'JavaScript keeps it for itself; take another one.');
      const entries = Object.entries(value).filter(([key]) => key !== TAKEN);
      return Object.fromEntries(entries.map(([key, entry]) => [key, below(def.valueType, entry, key)]));
    }
    case 'object':
      return isRecord(value) ? canonicalMap(def, value, reading, path) : value;
    default:
      return value;
  }
};

const canonicalMap = (
  def: Extract<Definition, { type: 'object' }>,
  value: Readonly<Record<string, unknown>>,
  reading: Reading,
  path: Path,
): unknown => {
  const result: Record<string, unknown> = {};
  for (const [key, entry] of Object.entries(value)) {
    const here = [...path, key];
    const fixed = Object.hasOwn(def.shape, camel(key)) ? camel(key) : key;
    const known = Object.hasOwn(def.shape, fixed);
    if (Object.hasOwn(result, fixed))
      reading.fault(here, 'doubled-key', `"${kebab(fixed)}" stands twice, once in kebab-case and once in camelCase`);
    else if (known) result[fixed] = canonical(def.shape[fixed], entry, reading, here);
    else if (isStrict(def))
      reading.fault(here, 'unknown-key', `there is no key "${key}" here`, suggest(key, Object.keys(def.shape).map(kebab), 'keys'));
    else if (key !== TAKEN) result[fixed] = entry;
  }
  return result;
};

const isStrict = (def: { readonly catchall?: Schema }): boolean =>
  def.catchall !== undefined && (def.catchall._zod.def as { type: string }).type === 'never';

const article = (word: string): string => (/^[aeiou]/.test(word) ? `an ${word}` : `a ${word}`);
const TYPE_NAMES: Record<string, string> = {
  object: 'map',
  record: 'map',
  array: 'list',
  string: 'text',
  int: 'whole number',
  boolean: 'true or false',
};

const typeName = (schema: Schema): string => {
  const def = definition(schema);
  if (def.type === 'optional') return typeName(def.innerType);
  if (def.type === 'union') return [...new Set(def.options.map(typeName))].join(' or ');
  const values = (schema._zod.def as { entries?: Record<string, string>; values?: unknown[] }) ?? {};
  if (values.entries) return `one of ${Object.values(values.entries).join(', ')}`;
  if (values.values) return values.values.map(String).join(' or ');
  const type = (schema._zod.def as { type: string }).type;
  const known = TYPE_NAMES[type] ?? type;
  return known === 'text' || known.includes(' ') ? known : article(known);
};

const schemaAt = (schema: Schema, path: Path): Schema | undefined => {
  const def = definition(schema);
  if (def.type === 'optional') return schemaAt(def.innerType, path);
  if (path.length === 0) return schema;
  const [head, ...rest] = path;
  if (def.type === 'object') return def.shape[head] && schemaAt(def.shape[head], rest);
  if (def.type === 'record') return schemaAt(def.valueType, rest);
  if (def.type === 'array') return schemaAt(def.element, rest);
  if (def.type === 'union') return def.options.map((option) => schemaAt(option, path)).find((found) => found !== undefined);
  return undefined;
};

const shown = (value: unknown): string =>
  typeof value === 'object' && value !== null ? (Array.isArray(value) ? 'a list' : 'a map') : (JSON.stringify(value) ?? 'nothing');

/** A value in its canonical spelling, and what is wrong with it. */
export interface Inspected<T> {
  /** The value as far as it can be used: without unknown keys, and undefined where a value is none that the schema takes. */
  readonly value: T | undefined;
  /** Keys that are not known, and values that are not taken. */
  readonly faults: readonly DurchblickError[];
  /** Paths of things with a key that is not known: what else is wrong with them may come of it. */
  readonly unknown: readonly Path[];
}

/** What a schema says of a value; every fault is an error with its place. */
export const inspect = <S extends Schema>(schema: S, written: unknown, what: string, locate: Locate): Inspected<z.output<S>> => {
  const keys: DurchblickError[] = [];
  const unknown: Path[] = [];
  const fault: Reading['fault'] = (path, code, message, hint) => {
    unknown.push(path.slice(0, -1));
    keys.push(new DurchblickError(code, message, { place: locate(path, 'key') ?? { path: pathText(path) }, hint }));
  };
  const value = canonical(schema, written, { locate, fault }, []);
  const outcome = schema.safeParse(value);
  if (outcome.success) return { value: outcome.data as z.output<S>, faults: keys, unknown };
  const values = outcome.error.issues.map((issue) => valueFault(schema, value, issue as unknown as Issue, what, locate));
  return { value: undefined, faults: [...keys, ...values], unknown };
};

interface Issue {
  readonly code?: string;
  /** Of a union: what each of its options says. */
  readonly errors?: readonly (readonly Issue[])[];
  readonly path: Path;
  readonly minimum?: unknown;
  readonly maximum?: unknown;
}

/** A key of texts by language that is no language, however deep in options it is found. */
const languageFault = (issue: Issue): Issue | undefined => {
  if (issue.code === 'invalid_key') return issue;
  const inner = (issue.errors ?? [])
    .flat()
    .map(languageFault)
    .find((found) => found !== undefined);
  return inner && { ...inner, path: [...issue.path, ...inner.path] };
};

/** A value that the schema does not take, and what it would take. */
const valueFault = (schema: Schema, value: unknown, issue: Issue, what: string, locate: Locate): DurchblickError => {
  const language = languageFault(issue);
  const { path } = language ?? issue;
  if (language)
    return new DurchblickError('bad-locale', `"${String(path[path.length - 1])}" is no language`, {
      place: locate(path, 'key') ?? { path: pathText(path) },
      hint: 'Languages are BCP 47 tags, for example en or de-AT.',
    });
  const at = path.reduce<unknown>(
    (node, step) => (isRecord(node) || Array.isArray(node) ? (node as Record<string | number, unknown>)[step] : undefined),
    value,
  );
  const key = path.length > 0 ? kebab(String(path[path.length - 1])) : what;
  const place = locate(path) ?? { path: pathText(path) };
  const expected = schemaAt(schema, path);
  const should = expected ? typeName(expected) : 'something else';
  if (at === undefined) return new DurchblickError('missing-key', `"${key}" is missing`, { place, hint: `It takes ${should}.` });
  const bound =
    issue.code === 'too_small'
      ? `It must be at least ${issue.minimum}.`
      : issue.code === 'too_big'
        ? `It must be at most ${issue.maximum}.`
        : `It takes ${should}.`;
  return new DurchblickError('bad-value', `"${key}" is ${shown(at)}`, { place, hint: bound });
};

/** Checks a value against a schema, in its canonical spelling, and returns it; throws all that is wrong with it. */
export const checked = <S extends Schema>(schema: S, written: unknown, what: string, locate: Locate): z.output<S> => {
  const { value, faults } = inspect(schema, written, what, locate);
  if (faults.length > 0) throw allOf(faults);
  return value as z.output<S>;
};
