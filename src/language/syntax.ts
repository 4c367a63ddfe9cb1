/** A reading as a tree, just as it was written. `at` is the 0-based position in the text, for carets. */
export type Expression =
  | { readonly kind: 'number'; readonly value: number; readonly at: number }
  | { readonly kind: 'name'; readonly name: string; readonly at: number }
  /** A factor of a table of rates, by the row's date in a role; the fact's first one where none is named (G10). In columns alone. */
  | { readonly kind: 'rate'; readonly name: string; readonly role: string | undefined; readonly at: number }
  | { readonly kind: 'call'; readonly name: FunctionName; readonly args: readonly Expression[]; readonly at: number }
  | { readonly kind: 'negate'; readonly of: Expression; readonly at: number }
  | { readonly kind: 'binary'; readonly operator: Operator; readonly left: Expression; readonly right: Expression; readonly at: number }
  | { readonly kind: 'modified'; readonly of: Expression; readonly modifiers: Modifiers; readonly at: number };

export type Operator = '+' | '-' | '*' | '/';
export const FUNCTIONS = ['coalesce', 'abs', 'min', 'max', 'round'] as const;
export type FunctionName = (typeof FUNCTIONS)[number];
export const FORMS = ['value', 'difference', 'change', 'ratio', 'index'] as const;
export type Form = (typeof FORMS)[number];

/** A window or a comparison: by name, or its text in brackets. */
export interface Named {
  readonly text: string;
  readonly literal: boolean;
  readonly at: number;
}

export interface Modifiers {
  readonly on?: { readonly role: string; readonly at: number };
  readonly over?: Named;
  readonly across?: { readonly attributes: 'all' | 'time' | readonly string[]; readonly at: number };
  readonly vs?: Named & { readonly form: Form };
}

/** Words that must be quoted to be names. */
export const RESERVED = ['on', 'over', 'across', 'vs', 'as'] as const;
