import type * as z from 'zod/mini';
import { DurchblickError, type Place, suggest } from '../errors.ts';

export type Path = readonly (string | number)[];
/** Finds the line and column of a path in the text a value was read from: of its value, or of its key. */
export type Locate = (path: Path, of?: 'key' | 'value') => Place | undefined;

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
const camel = (key: string): string => key.replace(/-([a-z])/g, (_, letter: string) => letter.toUpperCase());

export const pathText = (path: Path): string => path.map(String).join('.');

const fail = (path: Path, locate: Locate, code: string, message: string, hint?: string): never => {
  throw new DurchblickError(code, message, { place: locate(path, 'key') ?? { path: pathText(path) }, hint });
};

/**
 * Gives fixed keys their one spelling (`min-days` becomes `minDays`) and leaves the names of the modeller alone:
 * the schema tells which is which. Unknown keys are errors with the nearest known one.
 */
export const canonical = (schema: Schema, value: unknown, locate: Locate, path: Path = []): unknown => {
  const def = definition(schema);
  switch (def.type) {
    case 'optional':
      return value === undefined ? undefined : canonical(def.innerType, value, locate, path);
    case 'array':
      return Array.isArray(value) ? value.map((entry, i) => canonical(def.element, entry, locate, [...path, i])) : value;
    case 'union': {
      const wanted = Array.isArray(value) ? 'array' : isRecord(value) ? 'object' : undefined;
      const option = def.options.find((candidate) => definition(candidate).type === wanted);
      return option ? canonical(option, value, locate, path) : value;
    }
    case 'record': {
      if (!isRecord(value)) return value;
      return Object.fromEntries(
        Object.entries(value).map(([key, entry]) => [key, canonical(def.valueType, entry, locate, [...path, key])]),
      );
    }
    case 'object': {
      if (!isRecord(value)) return value;
      const result: Record<string, unknown> = {};
      for (const [key, entry] of Object.entries(value)) {
        const fixed = Object.hasOwn(def.shape, camel(key)) ? camel(key) : key;
        if (!Object.hasOwn(def.shape, fixed) && definition(schema).type === 'object' && isStrict(def)) {
          fail(
            [...path, key],
            locate,
            'unknown-key',
            `there is no key "${key}" here`,
            suggest(key, Object.keys(def.shape).map(kebab), 'keys'),
          );
        }
        if (Object.hasOwn(result, fixed))
          fail([...path, key], locate, 'doubled-key', `"${kebab(fixed)}" stands twice, once in kebab-case and once in camelCase`);
        result[fixed] = Object.hasOwn(def.shape, fixed) ? canonical(def.shape[fixed], entry, locate, [...path, key]) : entry;
      }
      return result;
    }
    default:
      return value;
  }
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

/** Checks a value against a schema, in its canonical spelling, and returns it; every fault is an error with its place. */
export const checked = <S extends Schema>(schema: S, written: unknown, what: string, locate: Locate): z.output<S> => {
  const value = canonical(schema, written, locate);
  const outcome = schema.safeParse(value);
  if (outcome.success) return outcome.data as z.output<S>;
  const errors = outcome.error.issues.map((issue) => {
    const path = issue.path as Path;
    const writtenPath = path.map((step) => step);
    const at = path.reduce<unknown>(
      (node, step) => (isRecord(node) || Array.isArray(node) ? (node as Record<string | number, unknown>)[step] : undefined),
      value,
    );
    const key = path.length > 0 ? kebab(String(path[path.length - 1])) : what;
    const place = locate(writtenPath) ?? { path: pathText(path) };
    const expected = schemaAt(schema, path);
    const should = expected ? typeName(expected) : 'something else';
    if (at === undefined) return new DurchblickError('missing-key', `"${key}" is missing`, { place, hint: `It takes ${should}.` });
    if (issue.code === 'too_small' || issue.code === 'too_big') {
      return new DurchblickError('bad-value', `"${key}" is ${shown(at)}`, {
        place,
        hint: issue.code === 'too_small' ? `It must be at least ${issue.minimum}.` : `It must be at most ${issue.maximum}.`,
      });
    }
    return new DurchblickError('bad-value', `"${key}" is ${shown(at)}`, { place, hint: `It takes ${should}.` });
  });
  const [first] = errors;
  throw new DurchblickError(first.code, first.message, { place: first.place, hint: first.hint, all: errors });
};
