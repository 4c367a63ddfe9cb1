// Statements laid out to be read: a clause a line, and what is short on one line.
import { format } from 'sql-formatter';

/** Lists of numbers, and rows of them. */
const LISTS = /\[-?\d+(?:, -?\d+)*\]|\(-?\d+(?:, -?\d+)*\)(?:,\s*\(-?\d+(?:, -?\d+)*\))+/g;
/** Comments, texts, quoted names, words, and anything else by the character. */
const TOKENS = /--[^\n]*|\/\*[\s\S]*?\*\/|'(?:[^']|'')*'|"(?:[^"]|"")*"|\w+|\W/g;
const SHORT = 110;

interface Open {
  readonly by: '(' | 'case';
  readonly at: number;
  /** A query lies inside, which is laid out. */
  query: boolean;
}

/** Where brackets, with the function before them, and cases stand that are short and have no query inside; outer ones first. */
const shortSpans = (sql: string): readonly (readonly [from: number, to: number])[] => {
  const spans: (readonly [number, number])[] = [];
  const open: Open[] = [];
  let [before, at] = ['', 0];
  for (const [token] of sql.matchAll(TOKENS)) {
    const word = token.toLowerCase();
    if (token === '(') open.push({ by: '(', at: /^\w+$/.test(before) ? at - before.length : at, query: false });
    else if (word === 'case') open.push({ by: 'case', at, query: false });
    else if (word === 'select' && open.length > 0) open[open.length - 1].query = true;
    else if ((token === ')' || word === 'end') && open.length > 0) {
      const { at: from, query } = open.pop() as Open;
      const to = at + token.length;
      if (query && open.length > 0) open[open.length - 1].query = true;
      if (!query && to - from <= SHORT && !sql.slice(from, to).includes('\n')) {
        while (spans.length > 0 && spans[spans.length - 1][0] >= from) spans.pop();
        spans.push([from, to]);
      }
    }
    before = token;
    at += token.length;
  }
  return spans;
};

const CLAUSE = /^( *)(select|select distinct|from|where|group by|order by|having)$/;
const indentOf = (line: string): number => line.length - line.trimStart().length;

/** Clauses whose items are short, on the line of their keyword; how long a line is once it is whole. */
const clausesJoined = (text: string, lengthOf: (line: string) => number): string => {
  const lines = text.split('\n');
  const out: string[] = [];
  for (let k = 0; k < lines.length; k++) {
    const indent = CLAUSE.exec(lines[k])?.[1].length;
    let end = k + 1;
    while (indent !== undefined && end < lines.length && indentOf(lines[end]) === indent + 2) end++;
    const items = lines.slice(k + 1, end).map((line) => line.trim());
    const joined = `${lines[k]} ${items.join(' ')}`;
    // What goes on deeper, as a query in brackets does, stays.
    const ends = end === lines.length || indentOf(lines[end]) <= (indent ?? 0);
    if (indent !== undefined && items.length > 0 && ends && !joined.endsWith('(') && lengthOf(joined) <= SHORT) {
      out.push(joined);
      k = end - 1;
    } else out.push(lines[k]);
  }
  return out.join('\n');
};

/** A statement laid out; lists of numbers, and what is short, stay as they are written. */
export const laidOut = (sql: string, language: 'duckdb' | 'postgresql'): string => {
  const kept: string[] = [];
  // A word that stands nowhere in the statement, not even in a text.
  let word = 'part';
  while (sql.includes(word)) word = `${word}_`;
  const keep = (text: string): string => `${word}${kept.push(text) - 1}x`;
  const listless = sql.replace(LISTS, keep);
  let [short, done] = ['', 0];
  for (const [from, to] of shortSpans(listless)) {
    short += listless.slice(done, from) + keep(listless.slice(from, to));
    done = to;
  }
  const text = format(short + listless.slice(done), { language, tabWidth: 2, keywordCase: 'lower', expressionWidth: 100 });
  const given = new RegExp(`${word}(\\d+)x`, 'g');
  // Lists stand inside of what is short.
  const whole = (part: string): string => part.replace(given, (_, k: string) => whole(kept[Number(k)]));
  return whole(clausesJoined(text, (line) => whole(line).length));
};
