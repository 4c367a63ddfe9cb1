import { isoOf } from '../calendar/day.ts';
import { DurchblickError } from '../errors.ts';
import { type AttributeRef, reach, reachable } from '../model/attributes.ts';
import type { Comparison, Measure, Model } from '../model/model.ts';
import { type Bound, type DaysLeaf, hasPart, type Leaf, partsOf } from '../plan/bind.ts';
import { spreadsTo, unreached } from '../plan/fixed.ts';
import { type Chain, layReading, rowCount } from '../plan/places.ts';
import { factFilters, filtersOf } from '../plan/question.ts';
import type { Segments } from '../plan/request.ts';
import { COVERED, FUTURE, type Lay, MISSING } from '../windows/lay.ts';
import { applied, arithmetic, BLANK, blankColumn, type Column, constantColumn, formed, negated, VALUE } from './column.ts';
import { evaluateLeaf, layingOf } from './measure.ts';
import type { DayRange, Evaluation, Fine, LeafData, LeafTask, Scope, ViewData } from './scope.ts';
import { shapeOf } from './shapes/table.ts';

/** Whether members of the result see a reading's own value, or one repeated on all of them (G5, M11). */
type Split = 'own' | 'repeated' | 'blank';

const unrelated = (model: Model, measure: Measure, what: string): never => {
  const names = reachable(model, measure.fact);
  throw new DurchblickError('unrelated', `${measure.name} cannot be ${what}: fact "${measure.fact.name}" has no link to it`, {
    hint: `It can be split by ${names.length > 0 ? names.join(', ') : 'nothing'}; or set \`unrelated: repeat\` or \`unrelated: blank\` on the measure (G5).`,
  });
};

const taskOf = (leaf: Leaf, lay: Lay, scope: Scope, evaluation: Evaluation) => {
  const { model } = evaluation.frame;
  const { measure } = leaf;
  const { fact } = measure;
  let split = 'own' as Split;
  const taken = (attribute: AttributeRef): boolean => leaf.across === 'all' || leaf.across.some(({ key }) => key === attribute.key);
  const settle = (what: string): void => {
    if (measure.unrelated === 'error') unrelated(model, measure, what);
    if (measure.unrelated === 'blank') split = 'blank';
  };
  const kept = scope.attributes.filter((attribute) => {
    if (taken(attribute)) {
      if (split === 'own') split = 'repeated';
      return false;
    }
    if (reach(fact, attribute) || spreadsTo(measure, attribute)) return true;
    settle(`split by ${attribute.key}`);
    if (split === 'own') split = 'repeated';
    return false;
  });
  // What a fixed filter leaves of a fact that it cannot reach: a share, or nothing (V3).
  const asked = [...unreached(fact, evaluation.fixed), ...scope.filters];
  const finer = asked.filter(({ attribute }) => spreadsTo(measure, attribute));
  for (const { attribute } of asked) if (!reach(fact, attribute) && !spreadsTo(measure, attribute)) settle(`filtered on ${attribute.key}`);
  const { combinations } = scope;
  const sees = (test: (attribute: AttributeRef) => boolean) =>
    combinations?.attributes.every((attribute) => !taken(attribute) && test(attribute)) ? combinations : undefined;
  const ownCombinations = sees((attribute) => reach(fact, attribute) !== undefined);
  const fineCombinations = ownCombinations
    ? undefined
    : sees((attribute) => reach(fact, attribute) !== undefined || spreadsTo(measure, attribute));
  const below = [...kept, ...finer.map(({ attribute }) => attribute), ...(fineCombinations?.attributes ?? [])].filter((attribute) =>
    spreadsTo(measure, attribute),
  );
  const fine: Fine = {
    attributes: [...new Map(below.map((attribute) => [attribute.key, attribute])).values()],
    filters: finer,
    combinations: fineCombinations,
  };
  const where = factFilters(fact, filtersOf(model, measure.where));
  const task: LeafTask = {
    leaf,
    lay,
    attributes: kept.filter((attribute) => reach(fact, attribute) !== undefined),
    filters: [...factFilters(fact, scope.filters), ...(ownCombinations ? [ownCombinations] : [])],
    where,
    fine: fine.attributes.length > 0 ? fine : undefined,
    nothing: shapeOf(measure).nothing(measure),
    kept,
    segments: undefined,
  };
  return { task, split };
};

interface Job {
  readonly leaf: Leaf | DaysLeaf;
  readonly lay: Lay;
  readonly split: Split;
  /** Undefined where no rows are needed: day counts, and measures blank by G5. */
  readonly task: LeafTask | undefined;
}

/** More cells than anybody reads; more would take the memory of everything else. */
const MOST_CELLS = 20_000_000;

/** Above this many cells a cube is cut only where a window begins or ends. */
const DAILY_CELLS = 4_000_000;

/**
 * Cubes by single days serve every later question; where members are too many for that, all windows that this
 * question lays on a fact's role cut time into the fewest segments that serve them all.
 */
const plannedSegments = (task: LeafTask, tasks: readonly LeafTask[], evaluation: Evaluation): Segments | undefined => {
  const { fact } = task.leaf.measure;
  const daily = evaluation.read(fact, task.leaf.role.name);
  const days = daily.starts.length;
  if (fact.grain !== 'day' || days === 0 || days * evaluation.memberCount(task.attributes) <= DAILY_CELLS) return undefined;
  const [first, last] = [daily.starts[0], daily.ends[days - 1]];
  const cuts = new Set<number>([first]);
  for (const { leaf, lay } of tasks) {
    if (leaf.measure.fact !== fact || leaf.role.name !== task.leaf.role.name) continue;
    lay.from.forEach((from, row) => {
      if (lay.state[row] !== COVERED) return;
      if (from > first && from <= last) cuts.add(from);
      if (lay.to[row] >= first && lay.to[row] < last) cuts.add(lay.to[row] + 1);
    });
  }
  const starts = Int32Array.from(cuts).sort();
  return {
    key: `cut:${starts.join()}:${last}`,
    starts,
    ends: Int32Array.from(starts, (_, k) => (k + 1 < starts.length ? starts[k + 1] - 1 : last)),
  };
};

/** Says which days a reading is going to read; a level needs all that came before (M5). */
const reachOf = ({ leaf, lay }: LeafTask, { frame, reach: days }: Evaluation): void => {
  const { fact, open } = leaf.measure;
  let [from, to] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
  for (let row = 0; row < lay.state.length; row++) {
    if (lay.state[row] !== COVERED) continue;
    from = Math.min(from, lay.from[row]);
    to = Math.max(to, lay.to[row]);
  }
  if (from > to) return;
  if (!open) {
    days(fact, leaf.role.name, from, to);
    return;
  }
  for (const role of [open.from, open.until]) {
    const bounds = frame.bounds(fact, role);
    if (bounds) days(fact, role, bounds.first, Math.max(to, bounds.first));
  }
};

const extent = (lays: readonly Lay[], row: number): DayRange | null => {
  let range: DayRange | null = null;
  for (const lay of lays) {
    if (lay.state[row] !== COVERED) continue;
    const [start, end] = [lay.from[row], lay.to[row]];
    range = range === null ? { start, end } : { start: Math.min(range.start, start), end: Math.max(range.end, end) };
  }
  return range;
};

/** A chain of comparisons with a text that tells it from every other. */
interface Steps {
  readonly chain: Chain;
  readonly key: string;
}
const HERE: Steps = { chain: [], key: '' };
const stepTo = ({ chain, key }: Steps, comparison: Comparison): Steps => ({
  chain: [...chain, comparison],
  key: `${key}${JSON.stringify([comparison.name, comparison.match])}`,
});

/** Measures at different times, of all readings of a question: more could not be counted with. */
const MOST_JOBS = 2000;

/** Numbers parts, so that a part at one time is one thing however many readings use it. */
const numbering = (): ((bound: Bound) => number) => {
  const numbers = new Map<Bound, number>();
  return (bound) => {
    const number = numbers.get(bound) ?? numbers.size;
    numbers.set(bound, number);
    return number;
  };
};

/** What a part's value is made of at a time: of a comparison the part at its own time and at the other one. */
const stepsBelow = (bound: Bound, at: Steps): readonly (readonly [Bound, Steps])[] =>
  bound.kind === 'vs'
    ? [
        [bound.of, at],
        [bound.of, stepTo(at, bound.comparison)],
      ]
    : partsOf(bound).map((part) => [part, at] as const);

/** Evaluates readings over a scope: lays every measure in them, fetches what they need at once, then calculates. */
export const evaluateView = async (readings: readonly Bound[], scope: Scope, evaluation: Evaluation): Promise<ViewData> => {
  const { frame } = evaluation;
  const { view } = scope;
  const rows = rowCount(view);
  const jobs = new Map<string, Job>();
  // A measure in a formula, or a day count, at one place in a chain of comparisons is one job, however often it stands there.
  const keyOf = (leaf: Leaf | DaysLeaf, { key }: Steps): string => {
    const own =
      leaf.kind === 'leaf'
        ? [leaf.measure.name, leaf.role.name, leaf.across === 'all' ? 'all' : leaf.across.map((attribute) => attribute.key)]
        : [leaf.count, leaf.horizon];
    return JSON.stringify([own, leaf.window && [leaf.window.text, leaf.window.full, leaf.window.name], key]);
  };
  const compare = readings.some(hasComparison) ? (await import('./shapes/seldom.ts')).compare : undefined;
  // Measures that lie on the same days are laid once.
  const lays = new Map<string, Lay>();
  const layOnce = (window: Leaf['window'], { horizon, history }: ReturnType<typeof layingOf>, { chain, key: where }: Steps): Lay => {
    const key = JSON.stringify([window && [window.text, window.full, window.name], horizon, history.first, history.last, where]);
    const laid = lays.get(key) ?? layReading({ window, horizon, history, chain }, view, frame, compare);
    lays.set(key, laid);
    return laid;
  };
  const prepare = (leaf: Leaf | DaysLeaf, at: Steps): void => {
    const key = keyOf(leaf, at);
    if (jobs.has(key)) return;
    if (jobs.size >= MOST_JOBS)
      throw new DurchblickError('too-long-reading', `the readings come down to more than ${MOST_JOBS} measures at different times`, {
        hint: 'Comparisons of comparisons multiply them; ask for some of them by themselves.',
      });
    if (leaf.kind === 'days') {
      const lay = layOnce(leaf.window, { horizon: leaf.horizon, history: { first: undefined, last: undefined } }, at);
      noteCut(lay, leaf.window, evaluation);
      jobs.set(key, { leaf, lay, split: 'repeated', task: undefined });
      return;
    }
    const lay = layOnce(leaf.window, layingOf(leaf, frame), at);
    noteMissing(lay, at.chain, evaluation);
    noteCut(lay, leaf.window, evaluation);
    const { task, split } = taskOf(leaf, lay, scope, evaluation);
    jobs.set(key, { leaf, lay, split, task: split === 'blank' ? undefined : task });
  };
  const numberOf = numbering();
  const placeKey = (bound: Bound, { key }: Steps): string => `${numberOf(bound)} ${key}`;
  /** How often the value of a part at a time is wanted; what is wanted twice is kept once it is there. */
  const wanted = new Map<string, number>();
  const walk = (bound: Bound, at: Steps, seen: Map<string, number>, visit: (leaf: Leaf | DaysLeaf, at: Steps) => void): void => {
    const key = placeKey(bound, at);
    const times = seen.get(key) ?? 0;
    seen.set(key, times + 1);
    if (times > 0) return;
    if (bound.kind === 'leaf' || bound.kind === 'days') visit(bound, at);
    // `as value` shows the other time alone, yet its own days are laid for the caption.
    for (const [part, then] of stepsBelow(bound, at)) walk(part, then, seen, visit);
  };
  for (const reading of readings) walk(reading, HERE, wanted, prepare);
  const tasks = [...jobs.values()].flatMap(({ task }) => task ?? []);
  for (const task of tasks) reachOf(task, evaluation);
  const loaded = new Map<Job, LeafData>();
  // All are loaded before any asks, so that an engine is asked in the order of the readings, whatever had to be loaded.
  const asking = await Promise.all(
    [...jobs.values()].flatMap((job) => {
      const { task } = job;
      return task ? [Promise.resolve(shapeOf(task.leaf.measure).load()).then((cells) => ({ job, task, cells }))] : [];
    }),
  );
  await Promise.all(
    asking.map(async ({ job, task, cells }) => {
      loaded.set(job, await evaluateLeaf({ ...task, segments: plannedSegments(task, tasks, evaluation) }, cells, evaluation));
    }),
  );
  const tuples = tuplesOf(scope, jobs, loaded);
  const width = tuples.length;
  const size = rows * width;
  if (size * readings.length > MOST_CELLS)
    throw new DurchblickError('too-many-cells', `the answer would have ${(size * readings.length).toLocaleString('en')} cells`, {
      hint: `${MOST_CELLS.toLocaleString('en')} is the most. Ask for a shorter range, a coarser unit, or fewer attributes.`,
    });
  const columns = new Map<string, Column>();
  const seen = new Uint8Array(size);
  for (const [key, job] of jobs) {
    const data = loaded.get(job);
    columns.set(
      key,
      data
        ? aligned(data, job, scope, tuples, rows, seen)
        : job.leaf.kind === 'days'
          ? dayCounts(job.leaf, job.lay, width, evaluation)
          : blankColumn(size),
    );
  }

  const kept = new Map<string, Column>();
  const calculate = (bound: Bound, at: Steps): Column => {
    if (bound.kind === 'leaf' || bound.kind === 'days') return columns.get(keyOf(bound, at)) as Column;
    const key = placeKey(bound, at);
    const before = kept.get(key);
    if (before) return before;
    const column = calculated(bound, at);
    if ((wanted.get(key) ?? 0) > 1) kept.set(key, column);
    return column;
  };
  const calculated = (bound: Exclude<Bound, Leaf | DaysLeaf>, at: Steps): Column => {
    switch (bound.kind) {
      case 'number':
        return constantColumn(bound.value, size);
      case 'negate':
        return negated(calculate(bound.of, at));
      case 'binary':
        return arithmetic(bound.operator, calculate(bound.left, at), calculate(bound.right, at));
      case 'call': {
        const digits = bound.name === 'round' && bound.args[1]?.kind === 'number' ? bound.args[1].value : 0;
        const args = bound.name === 'round' ? bound.args.slice(0, 1) : bound.args;
        return applied(
          bound.name,
          args.map((arg) => calculate(arg, at)),
          digits,
        );
      }
      case 'vs': {
        const other = calculate(bound.of, stepTo(at, bound.comparison));
        return bound.form === 'value' ? other : formed(bound.form, calculate(bound.of, at), other);
      }
    }
  };
  const layOf = (leaf: Leaf | DaysLeaf, at: Steps): Lay => (jobs.get(keyOf(leaf, at)) as Job).lay;
  /** The lays whose days a reading's value comes from: of `as value` only the other time. */
  const readBy = (bound: Bound, at: Steps, found: Set<Lay>, done: Set<string>): void => {
    const key = placeKey(bound, at);
    if (done.has(key)) return;
    done.add(key);
    if (bound.kind === 'leaf' || bound.kind === 'days') found.add(layOf(bound, at));
    const below = stepsBelow(bound, at);
    for (const [part, then] of bound.kind === 'vs' && bound.form === 'value' ? below.slice(1) : below) readBy(part, then, found, done);
  };
  /** The lays of a reading's measures at its own time, or at other ones. */
  const laysAt = (reading: Bound, where: (at: Steps) => boolean): Lay[] => {
    const found = new Set<Lay>();
    walk(reading, HERE, new Map(), (leaf, at) => void (where(at) && found.add(layOf(leaf, at))));
    return [...found];
  };
  const perRow = <T>(make: (row: number) => T): T[] => Array.from({ length: rows }, (_, row) => make(row));
  return {
    rows,
    tuples,
    columns: readings.map((reading) => calculate(reading, HERE)),
    seen,
    ahead: readings.map((reading) => {
      const found = new Set<Lay>();
      readBy(reading, HERE, found, new Set());
      return perRow((row) => [...found].some((lay) => lay.ahead[row] === 1));
    }),
    covered: readings.map((reading) => {
      const own = laysAt(reading, ({ chain }) => chain.length === 0);
      return perRow((row) => extent(own, row));
    }),
    compared: readings.map((reading) => {
      if (!hasComparison(reading)) return undefined;
      const others = laysAt(reading, ({ chain }) => chain.length > 0);
      return perRow((row) => extent(others, row));
    }),
  };
};

export const hasComparison = (bound: Bound): boolean => hasPart(bound, 'vs');

const noteMissing = (lay: Lay, chain: Chain, { notes }: Evaluation): void => {
  const rows = lay.state.reduce((count, state) => count + (state === MISSING ? 1 : 0), 0);
  if (rows === 0) return;
  const names = chain.map(({ name }) => name).join(', ');
  notes.add(`no counterpart ${names}`, {
    code: 'no-counterpart',
    comparison: names,
    rows,
    message: `vs ${names}: ${rows} ${rows === 1 ? 'row has' : 'rows have'} no counterpart and ${rows === 1 ? 'is' : 'are'} blank`,
  });
};

/** A window that a reading names and that reaches past the as-of date shows less than its name says. */
const noteCut = ({ ahead, state }: Lay, window: Leaf['window'], { notes, frame }: Evaluation): void => {
  if (!window) return;
  const rows = ahead.reduce((count, reaches, row) => count + (reaches === 1 && state[row] === COVERED ? 1 : 0), 0);
  if (rows === 0) return;
  const asOf = isoOf(frame.asOf);
  notes.add(`cut ${window.name}`, {
    code: 'cut-at-as-of',
    window: window.name,
    asOf,
    rows,
    message: `over ${window.name} reaches past the as-of date, ${asOf}, on ${rows} ${rows === 1 ? 'row' : 'rows'} and is cut there`,
  });
};

/** Members of the result: the combinations with a row of data behind any of their cells (R1). */
const tuplesOf = (scope: Scope, jobs: ReadonlyMap<string, Job>, loaded: ReadonlyMap<Job, LeafData>): readonly (readonly string[])[] => {
  if (scope.tuples) return scope.tuples;
  if (scope.attributes.length === 0) return [[]];
  const found = new Map<string, readonly string[]>();
  for (const job of jobs.values()) {
    const data = loaded.get(job);
    if (!data || job.split !== 'own') continue;
    const width = data.tuples.length;
    data.tuples.forEach((tuple, m) => {
      const key = JSON.stringify(tuple);
      if (found.has(key)) return;
      for (let k = m; k < data.seen.length; k += width) {
        if (data.seen[k] === 1) {
          found.set(key, tuple);
          return;
        }
      }
    });
  }
  return [...found.values()];
};

/** Spreads a reading's members over those of the result; members it has no data for show what nothing shows. */
const aligned = (
  data: LeafData,
  job: Job,
  scope: Scope,
  tuples: readonly (readonly string[])[],
  rows: number,
  seen: Uint8Array,
): Column => {
  const width = tuples.length;
  const own = data.tuples.length;
  const kept = (job.task?.kept ?? []).map(({ key }) => scope.attributes.findIndex((attribute) => attribute.key === key));
  const position = new Map(data.tuples.map((tuple, m) => [JSON.stringify(tuple), m]));
  const source = tuples.map((tuple) => position.get(JSON.stringify(kept.map((k) => tuple[k]))) ?? -1);
  if (own === width && source.every((from, m) => from === m)) {
    if (job.split === 'own') for (let k = 0; k < seen.length; k++) seen[k] |= data.seen[k];
    return data;
  }
  const values = new Float64Array(rows * width);
  const state = new Uint8Array(rows * width);
  for (let row = 0; row < rows; row++) {
    for (let m = 0; m < width; m++) {
      const from = source[m];
      const at = row * width + m;
      values[at] = from < 0 ? data.absent.values[row] : data.values[row * own + from];
      state[at] = from < 0 ? data.absent.state[row] : data.state[row * own + from];
      if (from >= 0 && job.split === 'own' && data.seen[row * own + from] === 1) seen[at] = 1;
    }
  }
  return { values, state, scale: data.scale };
};

const dayCounts = (leaf: DaysLeaf, lay: Lay, width: number, { frame }: Evaluation): Column => {
  const rows = lay.from.length;
  const column: Column = { values: new Float64Array(rows * width), state: new Uint8Array(rows * width), scale: 0 };
  for (let row = 0; row < rows; row++) {
    const state = lay.state[row] === COVERED ? VALUE : lay.state[row] >= FUTURE ? BLANK : VALUE;
    const [from, to] = [lay.from[row], lay.to[row]];
    const count = lay.state[row] !== COVERED ? 0 : leaf.count === 'days' ? to - from + 1 : frame.calendar.workingDays(from, to);
    column.values.fill(state === VALUE ? count : 0, row * width, (row + 1) * width);
    column.state.fill(state, row * width, (row + 1) * width);
  }
  return column;
};
