// From text to a tree: sums of products of factors, each a thing with its modifiers (M8).
import { nearest } from '../errors.ts';
import {
  type Expression,
  FORMS,
  type Form,
  FUNCTIONS,
  type FunctionName,
  type Modifiers,
  type Named,
  type Operator,
  RESERVED,
} from './syntax.ts';
import { type NameStyle, syntaxError, type Token, tokenize } from './tokens.ts';

const DEEPEST = 100;
/** Whatever is made of a reading is as deep as it has terms. */
const MOST_TERMS = 1000;

/** A text under way: how far it has been read, and how deep and long it is so far. */
interface Parsing {
  readonly text: string;
  readonly style: NameStyle;
  /** Names of rates that a column may use. */
  readonly rates: ReadonlySet<string>;
  readonly tokens: readonly Token[];
  position: number;
  depth: number;
  terms: number;
}

const peek = ({ tokens, position }: Parsing): Token => tokens[position];
const next = (own: Parsing): Token => own.tokens[own.position++];
const fail = ({ text }: Parsing, token: Token, message: string, hint?: string): never => {
  throw syntaxError(text, token.at, message, hint);
};
const shown = (token: Token): string => (token.kind === 'end' ? 'the end' : `"${token.text}"`);
const isOperator = (token: Token, symbols: string): boolean => token.kind === 'symbol' && symbols.includes(token.text);
const isReserved = ({ style }: Parsing, token: Token): boolean =>
  style === 'reading' && token.kind === 'name' && (RESERVED as readonly string[]).includes(token.text);

const expect = (own: Parsing, symbol: string, why: string): Token => {
  const token = next(own);
  return isOperator(token, symbol) ? token : fail(own, token, `${why}, but ${shown(token)} stands here`, `Write "${symbol}".`);
};

/** Things with commas between them, up to a closing parenthesis. */
const listOf = <T>(own: Parsing, entry: (own: Parsing) => T, unclosed: string): T[] => {
  const list = [entry(own)];
  while (isOperator(peek(own), ',')) {
    next(own);
    list.push(entry(own));
  }
  expect(own, ')', unclosed);
  return list;
};

const nameIn = (own: Parsing, what: string): Token => {
  const token = next(own);
  if ((token.kind === 'name' || token.kind === 'quoted') && !isReserved(own, token)) return token;
  const hint = isReserved(own, token) ? 'Reserved words are quoted to be names.' : undefined;
  return fail(own, token, `${what} is expected, but ${shown(token)} stands here`, hint);
};

/** A name, or a text in brackets. */
const namedIn = (own: Parsing, what: string): Named => {
  const token = peek(own);
  if (token.kind !== 'bracket') {
    const { text, at } = nameIn(own, what);
    return { text, literal: false, at };
  }
  next(own);
  return { text: token.text, literal: true, at: token.at + 1 };
};

const attributeIn = (own: Parsing): string => {
  const first = nameIn(own, 'an attribute').text;
  if (!isOperator(peek(own), '.')) return first;
  next(own);
  return `${first}.${nameIn(own, 'an attribute').text}`;
};

const acrossIn = (own: Parsing, at: number): NonNullable<Modifiers['across']> => {
  const token = peek(own);
  if (token.kind === 'name' && (token.text === 'all' || token.text === 'time')) {
    next(own);
    return { attributes: token.text, at };
  }
  if (!isOperator(token, '(')) return { attributes: [attributeIn(own)], at };
  next(own);
  return { attributes: listOf(own, attributeIn, 'the list of attributes is not closed'), at };
};

const formIn = (own: Parsing): Form => {
  const token = peek(own);
  if (!(token.kind === 'name' && token.text === 'as')) return 'value';
  next(own);
  const written = nameIn(own, 'value, difference, change, ratio or index');
  const known = FORMS.find((candidate) => candidate === written.text);
  return known ?? fail(own, written, `"${written.text}" is not a form`, `Forms: ${FORMS.join(', ')}.`);
};

/** A thing with the modifiers behind it, each at most once. */
const modifiedIn = (own: Parsing, of: Expression): Expression => {
  const found: { -readonly [K in keyof Modifiers]: Modifiers[K] } = {};
  while (isReserved(own, peek(own))) {
    const token = next(own);
    const key = token.text as keyof Modifiers | 'as';
    if (key === 'as') return fail(own, token, '"as" needs a comparison before it', 'Write for example "revenue vs previous as change".');
    if (found[key])
      return fail(own, token, `"${key}" stands twice`, 'Each modifier may stand once on a thing; parentheses make a new thing.');
    if (key === 'on') found.on = { role: nameIn(own, 'a role').text, at: token.at };
    else if (key === 'over') found.over = namedIn(own, 'a window');
    else if (key === 'across') found.across = acrossIn(own, token.at);
    else {
      const comparison = namedIn(own, 'a comparison');
      found.vs = { ...comparison, form: formIn(own) };
    }
  }
  return Object.keys(found).length > 0 ? { kind: 'modified', of, modifiers: found, at: of.at } : of;
};

/** A call with as many arguments as the function takes. */
const checkedCall = (own: Parsing, name: FunctionName, args: Expression[], token: Token): Expression => {
  const [least, most] = name === 'abs' ? [1, 1] : name === 'round' ? [1, 2] : [1, 50];
  if (args.length < least || args.length > most)
    fail(own, token, `${name} takes ${most === 1 ? 'one argument' : `${least} to ${most} arguments`}, not ${args.length}`);
  if (args.length === 1 && (name === 'min' || name === 'max'))
    fail(
      own,
      token,
      `${name} of one reading is that reading itself, in every row`,
      `In a reading, ${name} picks the ${name === 'max' ? 'greatest' : 'least'} of several in the same row: ${name}(revenue, budget). Over rows of data it is a measure of its own, { ${name}: column }.`,
    );
  const digits = args[1];
  if (name === 'round' && digits && !(digits.kind === 'number' && Number.isInteger(digits.value) && digits.value <= 15))
    throw syntaxError(own.text, digits.at, 'the second argument of round is a whole number of decimals', 'For example round(revenue, 2).');
  return { kind: 'call', name, args, at: token.at };
};

const callIn = (own: Parsing, token: Token): Expression => {
  // A row has no other value to fall back on (M13, M14).
  const functions = own.style === 'column' ? FUNCTIONS.filter((name) => name !== 'coalesce') : FUNCTIONS;
  const known = functions.find((candidate) => candidate === token.text);
  if (!known) {
    const near = nearest(token.text, functions);
    const hint = near ? `Did you mean "${near}"?` : `Functions: ${functions.join(', ')}.`;
    return fail(own, token, `there is no function "${token.text}"`, hint);
  }
  next(own);
  return checkedCall(own, known, listOf(own, sumIn, `the parenthesis of ${known} is not closed`), token);
};

/** A rate, and the date that it is taken at where that is not the fact's first. */
const rateIn = (own: Parsing, { text: name, at }: Token): Expression => {
  const token = peek(own);
  if (!(token.kind === 'name' && token.text === 'on')) return { kind: 'rate', name, role: undefined, at };
  next(own);
  return { kind: 'rate', name, role: nameIn(own, 'a role').text, at };
};

/** A number, a name, a call, or what stands in parentheses. */
const primaryIn = (own: Parsing): Expression => {
  const token = next(own);
  if (token.kind === 'number') return { kind: 'number', value: Number(token.text), at: token.at };
  if (isOperator(token, '(')) {
    const inner = sumIn(own);
    expect(own, ')', 'the parenthesis is not closed');
    return inner;
  }
  if (token.kind === 'name' && isOperator(peek(own), '(')) return callIn(own, token);
  if ((token.kind !== 'name' && token.kind !== 'quoted') || isReserved(own, token)) {
    const hint = isReserved(own, token) ? `"${token.text}" belongs behind a name, as in "revenue ${token.text} …".` : undefined;
    return fail(own, token, `a measure, number or parenthesis is expected, but ${shown(token)} stands here`, hint);
  }
  return own.rates.has(token.text) ? rateIn(own, token) : { kind: 'name', name: token.text, at: token.at };
};

const factorIn = (own: Parsing): Expression => {
  if (++own.depth > DEEPEST) fail(own, peek(own), 'this is nested too deeply', `At most ${DEEPEST} levels are read.`);
  const token = peek(own);
  let result: Expression;
  if (isOperator(token, '-')) {
    next(own);
    result = { kind: 'negate', of: factorIn(own), at: token.at };
  } else result = modifiedIn(own, primaryIn(own));
  own.depth--;
  return result;
};

/** Whether the first parenthesis is closed by the last token. */
const closes = (opened: readonly Token[]): boolean => {
  let level = 0;
  return opened.every((token, i) => {
    if (isOperator(token, '(')) level++;
    if (isOperator(token, ')')) level--;
    return level > 0 || i === opened.length - 1;
  });
};

/** `revenue / budget vs year-earlier` could mean two things; both have a way to be written. */
const unambiguous = (own: Parsing, operand: Expression, from: number): void => {
  if (operand.kind === 'negate') unambiguous(own, operand.of, from + 1);
  if (operand.kind !== 'modified' || !operand.modifiers.vs) return;
  const opened = own.tokens.slice(from, own.position);
  const last = opened[opened.length - 1];
  if (isOperator(opened[0], '(') && isOperator(last, ')') && closes(opened)) return;
  const vs = opened.find((token) => token.text === 'vs' && token.kind === 'name') ?? opened[0];
  fail(own, vs, 'it is not clear how far "vs" reaches', 'Put parentheses: "(a / b) vs previous" or "a / (b vs previous)".');
};

/** Operands with operators of one rank between them. */
const chainIn = (own: Parsing, symbols: string, operand: (own: Parsing) => Expression): Expression => {
  let from = own.position;
  let left = operand(own);
  while (isOperator(peek(own), symbols)) {
    unambiguous(own, left, from);
    if (++own.terms > MOST_TERMS) {
      const most = MOST_TERMS.toLocaleString('en');
      fail(own, peek(own), 'this is too long', `At most ${most} terms are read; put parts of it into formulas of their own.`);
    }
    const token = next(own);
    from = own.position;
    const right = operand(own);
    unambiguous(own, right, from);
    left = { kind: 'binary', operator: token.text as Operator, left, right, at: token.at };
  }
  return left;
};
const NO_RATES: ReadonlySet<string> = new Set();
const productIn = (own: Parsing): Expression => chainIn(own, '*/', factorIn);
const sumIn = (own: Parsing): Expression => chainIn(own, '+-', productIn);

/**
 * Parses a reading or a formula; with the style `column`, the arithmetic of a computed column (M13), which has
 * no modifiers, and may use rates (G10). Throws `bad-reading` with the position.
 */
export const parseReading = (text: string, style: NameStyle = 'reading', rates: ReadonlySet<string> = NO_RATES): Expression => {
  const own: Parsing = { text, style, rates, tokens: tokenize(text, style, rates), position: 0, depth: 0, terms: 0 };
  const result = sumIn(own);
  const rest = peek(own);
  if (rest.kind === 'end') return result;
  const isSplit = rest.kind === 'name' || rest.kind === 'quoted' || rest.kind === 'number';
  const hint = isSplit ? 'Between two values stands one of + - * /, with blanks around a minus sign.' : undefined;
  return fail(own, rest, `${shown(rest)} is not expected here`, hint);
};
