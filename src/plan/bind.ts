// Readings with all names resolved and modifiers pushed down to the measures they reach (M8, M11, M12).
import { DurchblickError, suggest } from '../errors.ts';
import { parseReading } from '../language/parse.ts';
import type { Expression, Form, FunctionName, Modifiers, Operator } from '../language/syntax.ts';
import { type AttributeRef, attributeOf } from '../model/attributes.ts';
import type { Faults } from '../model/faults.ts';
import type { Comparison, Formula, Measure, Model, NamedWindow, Role } from '../model/model.ts';
import { parseAgainst, parseWindow } from '../windows/syntax.ts';

/** The splits that a reading is taken without: all members, some attributes, or the periods of the axis (M11). */
export type Across = 'all' | 'time' | readonly AttributeRef[];

/** Whether a reading is taken without the split by an attribute (M11). */
export const isTaken = (across: Across, { key }: AttributeRef): boolean =>
  across === 'all' || (across !== 'time' && across.some((taken) => taken.key === key));

/** A measure as a reading uses it: by one role, over one window, with some splits taken out. */
export interface Leaf {
  readonly kind: 'leaf';
  readonly measure: Measure;
  readonly role: Role;
  /** Undefined for a plain reading (W6). */
  readonly window: NamedWindow | undefined;
  readonly across: Across;
}

/** How many days or working days a reading's window covers (M12). */
export interface DaysLeaf {
  readonly kind: 'days';
  readonly count: 'days' | 'working-days';
  readonly horizon: 'actual' | 'plan';
  /** The horizon is that of a role it was given, and not of the measures around it. */
  readonly on: string | undefined;
  /** The other measures of the formula. Their facts define `first` and `last` in the window. */
  readonly beside: readonly Leaf[];
  readonly window: NamedWindow | undefined;
  readonly across: Across;
}

/** A reading with all names resolved and all modifiers pushed down to the measures they reach (M8). */
export type Bound =
  | Leaf
  | DaysLeaf
  | { readonly kind: 'number'; readonly value: number }
  | { readonly kind: 'binary'; readonly operator: Operator; readonly left: Bound; readonly right: Bound }
  | { readonly kind: 'negate'; readonly of: Bound }
  | { readonly kind: 'call'; readonly name: FunctionName; readonly args: readonly Bound[] }
  | { readonly kind: 'vs'; readonly of: Bound; readonly comparison: Comparison; readonly form: Form };

/** A modifier on its way down; `used` tells at the end whether it reached anything. */
interface Carried<T> {
  readonly value: T;
  used: boolean;
}
interface Inherited {
  readonly on?: Carried<string>;
  readonly over?: Carried<NamedWindow>;
  readonly across?: Carried<Across>;
}

/** Formulas within formulas. */
const DEEPEST_FORMULAS = 50;
/** Parts within parts, and all there are: more could be neither counted with nor told of. */
const DEEPEST_PARTS = 1500;
const MOST_PARTS = 20_000;

/** What a part is directly made of. */
export const partsOf = (bound: Bound): readonly Bound[] => {
  switch (bound.kind) {
    case 'binary':
      return [bound.left, bound.right];
    case 'negate':
    case 'vs':
      return [bound.of];
    case 'call':
      return bound.args;
    default:
      return [];
  }
};

/** All parts of a reading, each once however often it is used: formulas share theirs. */
const eachPart = (bound: Bound, visit: (part: Bound) => void, seen = new Set<Bound>()): void => {
  if (seen.has(bound)) return;
  seen.add(bound);
  visit(bound);
  for (const part of partsOf(bound)) eachPart(part, visit, seen);
};

/** All measures a bound reading is made of. */
export const leavesOf = (bound: Bound): Leaf[] => {
  const leaves: Leaf[] = [];
  eachPart(bound, (part) => void (part.kind === 'leaf' && leaves.push(part)));
  return leaves;
};

/** What the parts of a reading leave out (M11). */
export const listAcross = (bound: Bound): Across[] => {
  const found: Across[] = [];
  eachPart(bound, (part) => void ((part.kind === 'leaf' || part.kind === 'days') && found.push(part.across)));
  return found;
};

/** Whether any part of a reading passes a test. Visits shared parts once. */
export const hasPart = (bound: Bound, test: (part: Bound) => boolean): boolean => {
  let found = false;
  eachPart(bound, (part) => {
    found ||= test(part);
  });
  return found;
};

const isDays = ({ kind }: Bound): boolean => kind === 'days';

/** Sets the horizon and the other measures on every `days` leaf (M12). Shared parts stay shared. */
const settleDays = (bound: Bound, horizon: 'actual' | 'plan', beside: readonly Leaf[], known = new Map<Bound, Bound>()): Bound => {
  const before = known.get(bound);
  if (before) return before;
  const settle = (part: Bound): Bound => settleDays(part, horizon, beside, known);
  const settled = ((): Bound => {
    switch (bound.kind) {
      case 'days':
        return { ...bound, beside, ...(bound.on === undefined ? { horizon } : {}) };
      case 'binary':
        return { ...bound, left: settle(bound.left), right: settle(bound.right) };
      case 'negate':
      case 'vs':
        return { ...bound, of: settle(bound.of) };
      case 'call':
        return { ...bound, args: bound.args.map(settle) };
      default:
        return bound;
    }
  })();
  known.set(bound, settled);
  return settled;
};

/** The horizon that decides what of a measure is seen: its role's; of an open measure its from-role's (A2). */
export const horizonOf = (leaf: Leaf): 'actual' | 'plan' => {
  const { open, fact } = leaf.measure;
  return open ? (fact.roles.get(open.from)?.horizon ?? 'actual') : leaf.role.horizon;
};

/** Readings with those whose shape their measures take, and theirs (G3, G6). */
export const withShapes = (readings: readonly Bound[], model: Model): readonly Bound[] => {
  const [found, measures]: [Bound[], Set<Measure>] = [[], new Set()];
  const add = (bound: Bound): void => {
    found.push(bound);
    for (const { measure } of leavesOf(bound)) {
      if (measures.has(measure)) continue;
      measures.add(measure);
      const { spread, spreadAcross } = measure;
      for (const text of [...(typeof spread === 'object' ? [spread.like] : []), ...spreadAcross.values()]) add(bindText(model, text));
    }
  };
  for (const reading of readings) add(reading);
  return found;
};

export interface NamePlace {
  readonly text: string;
  readonly at: number;
}

/** A window by name or text; errors point into the reading. */
export const windowOf = (model: Model, text: string, literal: boolean, where: NamePlace): NamedWindow => {
  if (literal) {
    const window = relocated(where, () => parseWindow(text, model.units));
    return { name: `[${text}]`, text, window, label: undefined, previous: undefined, full: false, builtIn: false };
  }
  const found = model.windows.get(text);
  if (found) return found;
  throw new DurchblickError('unknown-window', `there is no window "${text}"`, {
    ...where,
    hint: suggest(text, model.windows.keys(), 'windows'),
  });
};

const BRACKETS = /^\[(.*)\]$/s;

/** A window as it stands alone, by name or as `[P10D/anchor]`. */
export const windowNamed = (model: Model, written: string): NamedWindow => {
  const literal = BRACKETS.exec(written);
  return literal ? windowOf(model, literal[1], true, { text: written, at: 1 }) : windowOf(model, written, false, { text: written, at: 0 });
};

/** A comparison as it stands alone, by name or as `[-P2Y]`. */
export const comparisonNamed = (model: Model, written: string): Comparison => {
  const literal = BRACKETS.exec(written);
  return literal
    ? comparisonOf(model, literal[1], true, { text: written, at: 1 })
    : comparisonOf(model, written, false, { text: written, at: 0 });
};

/** Errors inside a bracketed text point at the place in the whole reading. */
const relocated = <T>(where: NamePlace, run: () => T): T => {
  try {
    return run();
  } catch (error) {
    if (!(error instanceof DurchblickError)) throw error;
    throw new DurchblickError(error.code, error.message, { text: where.text, at: where.at + (error.at ?? 0), hint: error.hint });
  }
};

const comparisonOf = (model: Model, text: string, literal: boolean, where: NamePlace): Comparison => {
  if (literal) {
    const against = relocated(where, () => parseAgainst(text, model.units));
    return { name: `[${text}]`, ...against, match: 'elapsed', label: undefined };
  }
  const found = model.comparisons.get(text);
  if (found) return found;
  throw new DurchblickError('unknown-comparison', `there is no comparison "${text}"`, {
    ...where,
    hint: suggest(text, model.comparisons.keys(), 'comparisons'),
  });
};

/** How deep a part lies, and by way of which formulas. */
interface Way {
  readonly source: string;
  readonly depth: number;
  readonly formulas: readonly string[];
}

const below = (way: Way): Way => ({ ...way, depth: way.depth + 1 });

const tooLong = (source: string, what: string): DurchblickError =>
  new DurchblickError('too-long-reading', `the reading has ${what}`, {
    text: source,
    at: 0,
    hint: 'Formulas within it may multiply its parts; ask for some of them by themselves.',
  });

/** A formula that has been bound under some modifiers, and which of them it used. */
interface BoundFormula {
  readonly under: Inherited;
  readonly bound: Bound;
  readonly used: readonly (keyof Inherited)[];
}

const MODIFIERS = ['on', 'over', 'across'] as const;
const sameValues = (a: Inherited, b: Inherited): boolean => MODIFIERS.every((name) => a[name]?.value === b[name]?.value);

/** A text that is being bound: the model, how many parts it has so far, and the formulas bound in it. */
interface Binding {
  readonly model: Model;
  readonly text: string;
  parts: number;
  /** A formula is bound once for the same modifiers, however often it is used: what uses it shares it. */
  readonly formulas: Map<string, BoundFormula[]>;
}

const bindNode = (own: Binding, node: Expression, inherited: Inherited, way: Way): Bound => {
  if (way.depth > DEEPEST_PARTS) throw tooLong(own.text, `more than ${DEEPEST_PARTS} parts within each other`);
  if (++own.parts > MOST_PARTS) throw tooLong(own.text, `more than ${MOST_PARTS} parts`);
  const part = (of: Expression): Bound => bindNode(own, of, inherited, below(way));
  switch (node.kind) {
    case 'number':
      return { kind: 'number', value: node.value };
    case 'rate':
      throw new Error('rates belong to columns');
    case 'negate':
      return { kind: 'negate', of: part(node.of) };
    case 'binary': {
      const left = part(node.left);
      return { kind: 'binary', operator: node.operator, left, right: part(node.right) };
    }
    case 'call':
      return { kind: 'call', name: node.name, args: node.args.map(part) };
    case 'name':
      return bindName(own, node.name, node.at, inherited, way);
    case 'modified':
      return bindModified(own, node, inherited, way);
  }
};

const acrossOf = (model: Model, across: NonNullable<Modifiers['across']>, source: string): Across =>
  typeof across.attributes === 'string'
    ? across.attributes
    : across.attributes.map((name) => relocated({ text: source, at: across.at }, () => attributeOf(model, name)));

/** Modifiers that reach no measure are slips. */
const checkUsed = (
  { on, over, across }: Modifiers,
  own: Inherited,
  of: Bound,
  { source, model }: { readonly source: string; readonly model: Model },
): void => {
  const fail = (at: number, code: string, message: string, hint?: string): never => {
    throw new DurchblickError(code, message, { text: source, at, hint });
  };
  if (on && own.on && !own.on.used) {
    const ofLeaves = leavesOf(of).flatMap((leaf) => [...leaf.measure.fact.roles.keys()]);
    const ofDays = hasPart(of, isDays) ? [...model.facts.values()].flatMap((fact) => [...fact.roles.keys()]) : [];
    const roles = [...new Set([...ofLeaves, ...ofDays])];
    const known = roles.includes(on.role);
    fail(
      on.at,
      'unknown-role',
      known ? `"on ${on.role}" reaches nothing here` : `there is no date "${on.role}" to count by here`,
      known ? 'Every measure here has its date fixed already.' : suggest(on.role, roles, 'dates'),
    );
  }
  if (over && own.over && !own.over.used)
    fail(over.at, 'idle-modifier', `"over ${over.text}" reaches nothing here`, 'Every measure here has a window of its own already.');
  if (across && own.across && !own.across.used)
    fail(across.at, 'idle-modifier', '"across" reaches nothing here', 'Every measure here has one of its own already.');
};

const bindModified = (own: Binding, node: Extract<Expression, { kind: 'modified' }>, inherited: Inherited, way: Way): Bound => {
  const { model } = own;
  const { source } = way;
  const { on, over, across, vs } = node.modifiers;
  const given: Inherited = {
    on: on && { value: on.role, used: false },
    over: over && { value: windowOf(model, over.text, over.literal, { text: source, at: over.at }), used: false },
    across: across && { value: acrossOf(model, across, source), used: false },
  };
  const carried = { on: given.on ?? inherited.on, over: given.over ?? inherited.over, across: given.across ?? inherited.across };
  const of = bindNode(own, node.of, carried, below(way));
  checkUsed(node.modifiers, given, of, { source, model });
  if (!vs) return of;
  if (leavesOf(of).length === 0 && !hasPart(of, isDays))
    throw new DurchblickError('idle-modifier', '"vs" reaches nothing here', {
      text: source,
      at: vs.at,
      hint: 'A number is the same at all times.',
    });
  const comparison = comparisonOf(model, vs.text, vs.literal, { text: source, at: vs.at });
  if (comparison.knownBy && !leavesOf(of).some(({ measure }) => measure.fact.recorded !== undefined))
    throw new DurchblickError('no-revisions', `"vs ${comparison.name}" asks for an earlier known-by date, and nothing here has revisions`, {
      text: source,
      at: vs.at,
      hint: 'Facts with `recorded` and `version-key` have revisions (G7); rows that came in later are left out by `as-of` (C11).',
    });
  return { kind: 'vs', of, comparison, form: vs.form };
};

/** A measure takes the modifiers around it that nothing within has settled already. */
const measureLeaf = (measure: Measure, inherited: Inherited): Leaf => {
  let role = measure.fact.roles.get(measure.role) as Role;
  const wanted = inherited.on && !measure.open ? measure.fact.roles.get(inherited.on.value) : undefined;
  if (wanted && inherited.on) {
    role = wanted;
    inherited.on.used = true;
  }
  if (inherited.over) inherited.over.used = true;
  if (inherited.across) inherited.across.used = true;
  return { kind: 'leaf', measure, role, window: inherited.over?.value, across: inherited.across?.value ?? [] };
};

/** Horizons that a role has in the facts of a model: days by a role that lies ahead in all of them are not cut (M12). */
const horizonsOf = ({ facts }: Model, role: string): readonly Role['horizon'][] =>
  [...facts.values()].flatMap((fact) => fact.roles.get(role)?.horizon ?? []);

/** Days or working days: as the measures around them are seen, or as a role is that they are counted on. */
const daysLeaf = (model: Model, count: DaysLeaf['count'], inherited: Inherited): DaysLeaf => {
  const horizons = inherited.on ? horizonsOf(model, inherited.on.value) : [];
  for (const carried of [inherited.over, inherited.across, horizons.length > 0 ? inherited.on : undefined])
    if (carried) carried.used = true;
  return {
    kind: 'days',
    count,
    horizon: horizons.length > 0 && horizons.every((horizon) => horizon === 'plan') ? 'plan' : 'actual',
    on: horizons.length > 0 ? inherited.on?.value : undefined,
    beside: [],
    window: inherited.over?.value,
    across: inherited.across?.value ?? [],
  };
};

const bindFormula = (own: Binding, { name, text, expression }: Formula, at: number, inherited: Inherited, way: Way): Bound => {
  if (way.formulas.includes(name)) {
    throw new DurchblickError('circular-formula', `the formula "${name}" refers to itself`, {
      text: way.source,
      at,
      hint: `By way of ${[...way.formulas, name].join(' → ')}.`,
    });
  }
  if (way.formulas.length > DEEPEST_FORMULAS) throw tooLong(own.text, `more than ${DEEPEST_FORMULAS} formulas within each other`);
  const known = own.formulas.get(name) ?? [];
  own.formulas.set(name, known);
  const mark = (used: readonly (keyof Inherited)[]): void => {
    for (const modifier of used) {
      const carried = inherited[modifier];
      if (carried) carried.used = true;
    }
  };
  const before = known.find(({ under }) => sameValues(under, inherited));
  if (before) {
    mark(before.used);
    return before.bound;
  }
  const fresh: Inherited = {
    ...(inherited.on ? { on: { value: inherited.on.value, used: false } } : {}),
    ...(inherited.over ? { over: { value: inherited.over.value, used: false } } : {}),
    ...(inherited.across ? { across: { value: inherited.across.value, used: false } } : {}),
  };
  const bound = bindNode(own, expression, fresh, { source: text, depth: way.depth + 1, formulas: [...way.formulas, name] });
  const used = MODIFIERS.filter((modifier) => fresh[modifier]?.used);
  mark(used);
  known.push({ under: fresh, bound, used });
  return bound;
};

const bindName = (own: Binding, name: string, at: number, inherited: Inherited, way: Way): Bound => {
  const { measures, formulas } = own.model;
  const measure = measures.get(name);
  if (measure) return measureLeaf(measure, inherited);
  if (name === 'days' || name === 'working-days') return daysLeaf(own.model, name, inherited);
  const formula = formulas.get(name);
  if (formula) return bindFormula(own, formula, at, inherited, way);
  const known = [...measures.keys(), ...formulas.keys(), 'days', 'working-days'];
  throw new DurchblickError('unknown-measure', `there is no measure or formula "${name}"`, {
    text: way.source,
    at,
    hint: suggest(name, known, 'measures and formulas'),
  });
};

/** Resolves a parsed reading against a model (M8). Throws with the place in the text. */
export const bind = (model: Model, expression: Expression, text: string): Bound => {
  const own: Binding = { model, text, parts: 0, formulas: new Map() };
  const bound = bindNode(own, expression, {}, { source: text, depth: 0, formulas: [] });
  const leaves = leavesOf(bound);
  const plan = leaves.length > 0 && leaves.every((leaf) => horizonOf(leaf) === 'plan');
  return settleDays(bound, plan ? 'plan' : 'actual', leaves);
};

/** Parses and binds a reading. */
export const bindText = (model: Model, text: string): Bound => bind(model, parseReading(text), text);

/** Binds every formula of a model once, so that a wrong name in it is found before it is asked. */
export const checkFormulas = (model: Model, faults: Faults): void => {
  for (const formula of model.formulas.values())
    faults.attempt(['formulas', formula.name], () => bind(model, formula.expression, formula.text));
};
