// A reading as a list of tokens.
import { DurchblickError } from '../errors.ts';

export interface Token {
  readonly kind: 'number' | 'name' | 'quoted' | 'bracket' | 'symbol' | 'end';
  readonly text: string;
  readonly at: number;
}

/** Which names there are: of a reading (`[a-z][a-z0-9-]*`) or of table columns (`[A-Za-z_][A-Za-z0-9_]*`). */
export type NameStyle = 'reading' | 'column';

const PATTERNS: Record<NameStyle, RegExp> = {
  reading: /\s+|(\d+(?:\.\d+)?)|([a-z][a-z0-9-]*)|"([^"]*)"|\[([^\]]*)\]|([-+*/(),.])/y,
  column: /\s+|(\d+(?:\.\d+)?)|([A-Za-z_][A-Za-z0-9_]*)|"([^"]*)"|\[([^\]]*)\]|([-+*/(),.])/y,
};
const KINDS = ['number', 'name', 'quoted', 'bracket', 'symbol'] as const;

/** The longest reading that is read; nobody writes more, and deep nesting must not exhaust the stack. */
const LONGEST = 10_000;

export const syntaxError = (text: string, at: number, message: string, hint?: string): DurchblickError =>
  new DurchblickError('bad-reading', message, { text, at, hint });

/** Names of rates come first where one is written: they may have a minus sign, which else stands between two columns. */
const patternOf = (style: NameStyle, rates: ReadonlySet<string>): RegExp => {
  const { source, flags } = PATTERNS[style];
  if (rates.size === 0) return new RegExp(source, flags);
  const names = [...rates].sort((a, b) => b.length - a.length).map((name) => name.replace(/[.*+?^${}()|[\]\\]/g, '\\$&'));
  return new RegExp(source.replace('|([A-Za-z_]', `|((?:${names.join('|')})(?![A-Za-z0-9_-])|[A-Za-z_]`), flags);
};

export const tokenize = (text: string, style: NameStyle, rates: ReadonlySet<string> = new Set()): Token[] => {
  if (text.length > LONGEST)
    throw syntaxError(text.slice(0, 60), 0, `the reading has ${text.length} characters`, `At most ${LONGEST} are read.`);
  const pattern = patternOf(style, rates);
  const tokens: Token[] = [];
  pattern.lastIndex = 0;
  while (pattern.lastIndex < text.length) {
    const at = pattern.lastIndex;
    const match = pattern.exec(text);
    if (!match) {
      const open = text[at];
      if (open === '"' || open === '[') throw syntaxError(text, at, `${open} is not closed`, `Close it with ${open === '"' ? '"' : ']'}.`);
      const hint = /[A-Z]/.test(open) ? 'Names are written in small letters, or in double quotes.' : undefined;
      throw syntaxError(text, at, `"${open}" has no meaning here`, hint);
    }
    const group = KINDS.findIndex((_, i) => match[i + 1] !== undefined);
    if (group >= 0) tokens.push({ kind: KINDS[group], text: match[group + 1], at });
  }
  tokens.push({ kind: 'end', text: '', at: text.length });
  return tokens;
};
