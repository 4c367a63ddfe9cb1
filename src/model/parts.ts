// A model of several parts, each a file or an object: one model, in which every name stands once.
import { DurchblickError, placeText, type TextPlace } from '../errors.ts';
import { inspect, kebab, type Locate, type Path, pathText } from './keys.ts';
import { type ModelInput, type ModelPartInput, partSchema } from './schema.ts';
import { GROUP_KEYS } from './things.ts';

/** A part as it is written. */
export interface ModelPart {
  readonly written: unknown;
  readonly locate: Locate;
  /** The folder that its paths are relative to, as seen from the model's own; that itself where there is none. */
  readonly folder?: string;
}

interface CheckedPart extends ModelPart {
  readonly value: ModelPartInput;
}

/** What every part may say for itself. */
const ITS_OWN = new Set(['durchblick', '$schema', 'includes']);
/** Maps of named things, the names of all parts together. */
const GROUPS: ReadonlySet<string> = new Set(GROUP_KEYS);
/** Maps of settings and named things in turn: `calendar.year-systems.fiscal`. */
const NESTED: Readonly<Record<string, Readonly<Record<string, unknown>>>> = {
  calendar: { yearSystems: {}, periods: {}, names: { 'weekday-long': {}, 'weekday-short': {}, 'month-long': {}, 'month-short': {} } },
};

type Map_ = Readonly<Record<string, unknown>>;

/** How far a path leads into a value. */
const depthIn = (value: unknown, path: Path): number => {
  let node = value;
  for (const [depth, step] of path.entries()) {
    if (typeof node !== 'object' || node === null || !Object.hasOwn(node, step)) return depth;
    node = (node as Record<string | number, unknown>)[step];
  }
  return path.length;
};

/** Lists, which go on from part to part. */
const LISTS = ['figures'] as const;

/** Finds a path of the whole in the part that holds most of it. */
const locateIn =
  (parts: readonly CheckedPart[]): Locate =>
  (whole, of) => {
    const [key, index, ...rest] = whole;
    const list = LISTS.find((name) => name === key);
    if (list && typeof index === 'number') {
      let before = 0;
      for (const { value, locate } of parts) {
        const own = value[list]?.length ?? 0;
        if (index < before + own) return locate([list, index - before, ...rest], of);
        before += own;
      }
    }
    return locateMap(parts, whole, of);
  };

const locateMap = (parts: readonly CheckedPart[], path: Path, of: 'key' | 'value' | undefined): TextPlace | undefined => {
  let [best, deepest] = [parts[0], -1];
  for (const part of parts) {
    const depth = depthIn(part.value, path);
    if (depth > deepest) [best, deepest] = [part, depth];
  }
  return best.locate(path, of);
};

/** A path of a file as seen from the model's folder: `../shared` and `days/holidays.ics` are `../shared/days/holidays.ics`. */
export const pathFrom = (folder: string | undefined, path: string): string => {
  if (!folder || path.startsWith('/') || /^[a-z][a-z0-9+.-]+:/i.test(path)) return path;
  const steps: string[] = [];
  for (const step of `${folder}/${path}`.split('/')) {
    if (step === '.' || step === '') continue;
    if (step === '..' && steps.length > 0 && steps[steps.length - 1] !== '..') steps.pop();
    else steps.push(step);
  }
  return `${folder.startsWith('/') ? '/' : ''}${steps.join('/')}`;
};

const withFiles = <T extends { readonly file?: string }>(things: Readonly<Record<string, T>>, folder: string): Record<string, T> =>
  Object.fromEntries(
    Object.entries(things).map(([name, thing]) => [
      name,
      thing.file === undefined ? thing : { ...thing, file: pathFrom(folder, thing.file) },
    ]),
  );

/** A part whose files are named as seen from the model's folder. */
const rebased = (part: ModelPartInput, folder: string | undefined): ModelPartInput => {
  if (!folder) return part;
  const { sources, publications, calendar } = part;
  const holidays = calendar?.workingDays?.holidays;
  return {
    ...part,
    ...(sources && { sources: withFiles(sources, folder) }),
    ...(publications && { publications: withFiles(publications, folder) }),
    ...(typeof holidays === 'string' && {
      calendar: { ...calendar, workingDays: { ...calendar?.workingDays, holidays: pathFrom(folder, holidays) } },
    }),
  };
};

type Doubled = (path: Path, first: CheckedPart, second: CheckedPart) => void;

/** Adds a part's map to what is there; what stands in both is told. */
const merge = (
  into: Record<string, unknown>,
  owners: Map<string, CheckedPart>,
  part: CheckedPart,
  map: Map_,
  below: (key: string) => Map_ | boolean | undefined,
  path: Path,
  doubled: Doubled,
): void => {
  for (const [key, value] of Object.entries(map)) {
    const here = [...path, key];
    const inner = below(key);
    const known = Object.hasOwn(into, key);
    if (inner !== undefined && typeof value === 'object' && value !== null) {
      const own = known ? (into[key] as Record<string, unknown>) : {};
      into[key] = own;
      const deeper = (name: string): Map_ | undefined =>
        inner !== true && Object.hasOwn(inner as Map_, name) ? ((inner as Map_)[name] as Map_) : undefined;
      merge(own, owners, part, value as Map_, deeper, here, doubled);
    } else if (known && path.length === 0 && LISTS.some((list) => list === key)) {
      into[key] = [...(into[key] as unknown[]), ...(value as unknown[])];
    } else if (!known) {
      into[key] = value;
      owners.set(JSON.stringify(here), part);
    } else if (path.length > 0 || !ITS_OWN.has(key)) doubled(here, owners.get(JSON.stringify(here)) as CheckedPart, part);
  }
};

/** A model of all its parts, and what is wrong with their shapes; `input` is undefined where no whole can be made of them. */
export interface Assembled {
  readonly input: ModelInput | undefined;
  readonly locate: Locate;
  readonly faults: readonly DurchblickError[];
  readonly unknown: readonly Path[];
}

export const assembled = (parts: readonly ModelPart[]): Assembled => {
  const faults: DurchblickError[] = [];
  const unknown: Path[] = [];
  const whole: CheckedPart[] = [];
  let isWhole = true;
  for (const part of parts) {
    const found = inspect(partSchema, part.written, 'model', part.locate);
    faults.push(...found.faults);
    unknown.push(...found.unknown);
    if (found.value) whole.push({ ...part, value: rebased(found.value as ModelPartInput, part.folder) });
    else isWhole = false;
  }
  const placed = (part: CheckedPart, path: Path): TextPlace => part.locate(path, 'key') ?? { path: pathText(path) };
  const input: Record<string, unknown> = {};
  const owners = new Map<string, CheckedPart>();
  const doubled: Doubled = (path, first, second) => {
    const name = kebab(String(path[path.length - 1]));
    const where = path.length === 1 ? '' : ` in ${path.slice(0, -1).map(String).map(kebab).join('.')}`;
    faults.push(
      new DurchblickError(
        'doubled-name',
        `"${name}" stands twice${where}, the first time at ${placeText(placed(first, path)).replace(/: $/, '')}`,
        {
          place: placed(second, path),
          hint: 'All parts of a model are one: rename one of them, or leave one out.',
        },
      ),
    );
  };
  const below = (key: string): Map_ | boolean | undefined => (GROUPS.has(key) ? true : NESTED[key]);
  for (const part of whole) merge(input, owners, part, part.value as Map_, below, [], doubled);
  const locate: Locate = whole.length > 0 ? locateIn(whole) : parts[0].locate;
  if (isWhole && input.facts === undefined) {
    const place = locate(['facts']) ?? { path: 'facts' };
    faults.push(new DurchblickError('missing-key', '"facts" is missing', { place, hint: 'It takes a map.' }));
    isWhole = false;
  }
  return { input: isWhole ? (input as ModelInput) : undefined, locate, faults, unknown };
};
