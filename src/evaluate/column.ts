/** A cell holds a value; or nothing because a sum had nothing to add up (M7: counts as 0 in + and -); or is blank for good. */
export const VALUE = 0;
export const NOTHING = 1;
export const BLANK = 2;

/** Values of one reading over rows and members, row-major. `scale` is the decimals of exact values, -1 when unknown (M10). */
export interface Column {
  readonly values: Float64Array;
  readonly state: Uint8Array;
  readonly scale: number;
}

/** The value of a cell; null if it is blank or nothing. */
export const columnValue = ({ values, state }: Column, at: number): number | null => (state[at] === VALUE ? values[at] : null);

export const blankColumn = (size: number): Column => ({
  values: new Float64Array(size),
  state: new Uint8Array(size).fill(BLANK),
  scale: -1,
});

export const constantColumn = (value: number, size: number): Column => {
  const decimals = String(value).split('.')[1]?.length ?? 0;
  return { values: new Float64Array(size).fill(value), state: new Uint8Array(size), scale: decimals <= 6 ? decimals : -1 };
};

const EXACT = 2 ** 53;

/** Sum or difference of two values with known decimals, through scaled integers, so that 0.1 + 0.2 is 0.3 (M10). */
const addExactly = (a: number, b: number, factor: number): number => {
  const total = Math.round(a * factor) + Math.round(b * factor);
  return Math.abs(total) < EXACT ? total / factor : a + b;
};

const zipped = (a: Column, b: Column, scale: number, combine: (a: number, b: number) => number): Column => {
  const size = a.values.length;
  const values = new Float64Array(size);
  const state = new Uint8Array(size);
  for (let k = 0; k < size; k++) {
    const value = a.state[k] === VALUE && b.state[k] === VALUE ? combine(a.values[k], b.values[k]) : Number.NaN;
    if (Number.isFinite(value)) values[k] = value;
    else state[k] = BLANK;
  }
  return { values, state, scale };
};

/** `+` and `-`: a sum over nothing counts as 0 unless both are blank; every other blank makes a blank (M7). */
const added = (a: Column, b: Column, sign: 1 | -1): Column => {
  const size = a.values.length;
  const values = new Float64Array(size);
  const state = new Uint8Array(size);
  const scale = a.scale < 0 || b.scale < 0 ? -1 : Math.max(a.scale, b.scale);
  const factor = 10 ** Math.max(scale, 0);
  for (let k = 0; k < size; k++) {
    if (a.state[k] === BLANK || b.state[k] === BLANK) state[k] = BLANK;
    else if (a.state[k] === NOTHING && b.state[k] === NOTHING) state[k] = NOTHING;
    else {
      // Cells without a value hold 0.
      const second = sign * b.values[k];
      const sum = scale < 0 ? a.values[k] + second : addExactly(a.values[k], second, factor);
      if (Number.isFinite(sum)) values[k] = sum;
      else state[k] = BLANK;
    }
  }
  return { values, state, scale };
};

export const arithmetic = (operator: '+' | '-' | '*' | '/', a: Column, b: Column): Column => {
  if (operator === '+') return added(a, b, 1);
  if (operator === '-') return added(a, b, -1);
  // Division by 0 is not finite, and therefore blank (M7).
  return zipped(a, b, -1, operator === '*' ? (x, y) => x * y : (x, y) => x / y);
};

export const negated = (a: Column): Column => ({ ...a, values: a.values.map((value) => (value === 0 ? 0 : -value)) });

/** Half away from zero, on the decimal digits: 1.005 rounds to 1.01 at two decimals. */
export const roundHalfAway = (value: number, digits: number): number => {
  const shifted = Number(`${Math.abs(value)}e${digits}`);
  const rounded = Number(`${Math.round(Number.isNaN(shifted) ? Math.abs(value) * 10 ** digits : shifted)}e-${digits}`);
  return value < 0 && rounded !== 0 ? -rounded : rounded;
};

export const applied = (name: 'coalesce' | 'abs' | 'min' | 'max' | 'round', args: readonly Column[], digits: number): Column => {
  const [first, ...rest] = args;
  switch (name) {
    case 'abs':
      return zipped(first, first, first.scale, Math.abs);
    case 'round':
      return zipped(first, first, Math.min(digits, 6), (value) => roundHalfAway(value, digits));
    case 'min':
    case 'max': {
      const pick = name === 'min' ? Math.min : Math.max;
      return rest.reduce(
        (a, b) => zipped(a, b, a.scale < 0 || b.scale < 0 ? -1 : Math.max(a.scale, b.scale), pick),
        zipped(first, first, first.scale, pick),
      );
    }
    case 'coalesce': {
      const values = Float64Array.from(first.values);
      const state = Uint8Array.from(first.state);
      for (const column of rest) {
        for (let k = 0; k < values.length; k++) {
          if (state[k] === VALUE || column.state[k] !== VALUE) continue;
          values[k] = column.values[k];
          state[k] = VALUE;
        }
      }
      const exact = args.every((column) => column.scale >= 0);
      return { values, state, scale: exact ? Math.max(...args.map((column) => column.scale)) : -1 };
    }
  }
};

/** A value held against another one (C8). */
export const formed = (form: 'value' | 'difference' | 'change' | 'ratio' | 'index', v: Column, c: Column): Column => {
  switch (form) {
    case 'value':
      return c;
    case 'difference':
      return added(v, c, -1);
    case 'change': {
      // The difference is taken exactly first; blank where either side is, unlike `difference`.
      const difference = added(v, c, -1);
      const strict = {
        ...difference,
        state: difference.state.map((state, k) => (v.state[k] === VALUE && c.state[k] === VALUE ? state : BLANK)),
      };
      return zipped(strict, c, -1, (d, base) => d / Math.abs(base));
    }
    case 'ratio':
      return zipped(v, c, -1, (a, b) => a / b);
    case 'index':
      return zipped(v, c, -1, (a, b) => (100 * a) / b);
  }
};
