import { DurchblickError, suggest } from '../errors.ts';
import { parseReading } from '../language/parse.ts';
import type { Expression, Form, FunctionName, Modifiers, Operator } from '../language/syntax.ts';
import { type AttributeRef, attributeOf } from '../model/attributes.ts';
import type { Comparison, Measure, Model, NamedWindow, Role } from '../model/model.ts';
import { parseShift, parseWindow } from '../windows/syntax.ts';

/** A measure as a reading uses it: by one role, over one window, with some splits taken out. */
export interface Leaf {
  readonly kind: 'leaf';
  readonly measure: Measure;
  readonly role: Role;
  /** Undefined for a plain reading (W6). */
  readonly window: NamedWindow | undefined;
  readonly across: 'all' | readonly AttributeRef[];
}

/** How many days or working days a reading's window covers (M12). */
export interface DaysLeaf {
  readonly kind: 'days';
  readonly count: 'days' | 'working-days';
  readonly horizon: 'actual' | 'plan';
  readonly window: NamedWindow | undefined;
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
  readonly across?: Carried<'all' | readonly AttributeRef[]>;
}

const DEEPEST = 50;

/** All measures a bound reading is made of. */
export const leavesOf = (bound: Bound): Leaf[] => {
  switch (bound.kind) {
    case 'leaf':
      return [bound];
    case 'binary':
      return [...leavesOf(bound.left), ...leavesOf(bound.right)];
    case 'negate':
    case 'vs':
      return leavesOf(bound.of);
    case 'call':
      return bound.args.flatMap(leavesOf);
    default:
      return [];
  }
};

/** Gives every `days` in a formula the horizon of the measures around it (M12). */
const settleDays = (bound: Bound, horizon: 'actual' | 'plan'): Bound => {
  switch (bound.kind) {
    case 'days':
      return { ...bound, horizon };
    case 'binary':
      return { ...bound, left: settleDays(bound.left, horizon), right: settleDays(bound.right, horizon) };
    case 'negate':
    case 'vs':
      return { ...bound, of: settleDays(bound.of, horizon) };
    case 'call':
      return { ...bound, args: bound.args.map((arg) => settleDays(arg, horizon)) };
    default:
      return bound;
  }
};

/** The horizon that decides what of a measure is seen: its role's; of an open measure its from-role's (A2). */
export const horizonOf = (leaf: Leaf): 'actual' | 'plan' => {
  const { open, fact } = leaf.measure;
  return open ? (fact.roles.get(open.from)?.horizon ?? 'actual') : leaf.role.horizon;
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
    const shift = relocated(where, () => parseShift(text, model.units));
    return { name: `[${text}]`, shift, match: 'elapsed', label: undefined };
  }
  const found = model.comparisons.get(text);
  if (found) return found;
  throw new DurchblickError('unknown-comparison', `there is no comparison "${text}"`, {
    ...where,
    hint: suggest(text, model.comparisons.keys(), 'comparisons'),
  });
};

/** Resolves a parsed reading against a model (M8). Throws with the place in the text. */
export const bind = (model: Model, expression: Expression, text: string): Bound => {
  const walk = (node: Expression, inherited: Inherited, source: string, depth: number, chain: readonly string[]): Bound => {
    const fail = (at: number, code: string, message: string, hint?: string): never => {
      throw new DurchblickError(code, message, { text: source, at, hint });
    };
    switch (node.kind) {
      case 'number':
        return { kind: 'number', value: node.value };
      case 'negate':
        return { kind: 'negate', of: walk(node.of, inherited, source, depth, chain) };
      case 'binary': {
        const left = walk(node.left, inherited, source, depth, chain);
        return { kind: 'binary', operator: node.operator, left, right: walk(node.right, inherited, source, depth, chain) };
      }
      case 'call':
        return { kind: 'call', name: node.name, args: node.args.map((arg) => walk(arg, inherited, source, depth, chain)) };
      case 'name':
        return bindName(node.name, node.at, inherited, source, depth, chain);
      case 'modified': {
        const { on, over, across, vs } = node.modifiers;
        const own: Inherited = {
          on: on && { value: on.role, used: false },
          over: over && { value: windowOf(model, over.text, over.literal, { text: source, at: over.at }), used: false },
          across: across && { value: acrossOf(across, source), used: false },
        };
        const of = walk(
          node.of,
          { on: own.on ?? inherited.on, over: own.over ?? inherited.over, across: own.across ?? inherited.across },
          source,
          depth,
          chain,
        );
        if (on && own.on && !own.on.used) {
          const roles = [...new Set(leavesOf(of).flatMap((leaf) => [...leaf.measure.fact.roles.keys()]))];
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
        if (!vs) return of;
        if (leavesOf(of).length === 0 && !hasDays(of))
          fail(vs.at, 'idle-modifier', '"vs" reaches nothing here', 'A number is the same at all times.');
        return { kind: 'vs', of, comparison: comparisonOf(model, vs.text, vs.literal, { text: source, at: vs.at }), form: vs.form };
      }
    }
  };
  const acrossOf = (across: NonNullable<Modifiers['across']>, source: string): 'all' | readonly AttributeRef[] =>
    across.attributes === 'all'
      ? 'all'
      : across.attributes.map((name) => relocated({ text: source, at: across.at }, () => attributeOf(model, name)));

  const bindName = (name: string, at: number, inherited: Inherited, source: string, depth: number, chain: readonly string[]): Bound => {
    const measure = model.measures.get(name);
    if (measure) {
      let role = measure.fact.roles.get(measure.role) as Role;
      const wanted = inherited.on && !measure.open ? measure.fact.roles.get(inherited.on.value) : undefined;
      if (wanted && inherited.on) {
        role = wanted;
        inherited.on.used = true;
      }
      if (inherited.over) inherited.over.used = true;
      if (inherited.across) inherited.across.used = true;
      return { kind: 'leaf', measure, role, window: inherited.over?.value, across: inherited.across?.value ?? [] };
    }
    if (name === 'days' || name === 'working-days') {
      if (inherited.over) inherited.over.used = true;
      return { kind: 'days', count: name, horizon: 'actual', window: inherited.over?.value };
    }
    const formula = model.formulas.get(name);
    if (formula) {
      if (chain.includes(name) || depth > DEEPEST) {
        throw new DurchblickError('circular-formula', `the formula "${name}" refers to itself`, {
          text: source,
          at,
          hint: `By way of ${[...chain, name].join(' → ')}.`,
        });
      }
      return walk(formula.expression, inherited, formula.text, depth + 1, [...chain, name]);
    }
    const known = [...model.measures.keys(), ...model.formulas.keys(), 'days', 'working-days'];
    throw new DurchblickError('unknown-measure', `there is no measure or formula "${name}"`, {
      text: source,
      at,
      hint: suggest(name, known, 'measures and formulas'),
    });
  };

  const bound = walk(expression, {}, text, 0, []);
  const leaves = leavesOf(bound);
  const plan = leaves.length > 0 && leaves.every((leaf) => horizonOf(leaf) === 'plan');
  return settleDays(bound, plan ? 'plan' : 'actual');
};

const hasDays = (bound: Bound): boolean => {
  switch (bound.kind) {
    case 'days':
      return true;
    case 'binary':
      return hasDays(bound.left) || hasDays(bound.right);
    case 'negate':
    case 'vs':
      return hasDays(bound.of);
    case 'call':
      return bound.args.some(hasDays);
    default:
      return false;
  }
};

/** Parses and binds a reading. */
export const bindText = (model: Model, text: string): Bound => bind(model, parseReading(text), text);

/** Binds every formula of a model once, so that a wrong name in it is found before it is asked. */
export const checkFormulas = (model: Model): DurchblickError[] => {
  const faults: DurchblickError[] = [];
  const attempt = (path: readonly string[], run: () => void): void => {
    try {
      run();
    } catch (error) {
      if (!(error instanceof DurchblickError)) throw error;
      faults.push(error.located(model.locate(path) ?? { path: path.join('.') }));
    }
  };
  for (const formula of model.formulas.values())
    attempt(['formulas', formula.name], () => void bind(model, formula.expression, formula.text));
  return faults;
};
