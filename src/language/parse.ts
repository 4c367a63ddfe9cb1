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

const isOperator = (token: Token, symbols: string): boolean => token.kind === 'symbol' && symbols.includes(token.text);

/**
 * Parses a reading or a formula; with the style `column`, the arithmetic of a computed column (M13), which has
 * no modifiers. Throws `bad-reading` with the position.
 */
export const parseReading = (text: string, style: NameStyle = 'reading'): Expression => {
  const tokens = tokenize(text, style);
  let position = 0;
  let depth = 0;
  let terms = 0;
  const peek = (): Token => tokens[position];
  const next = (): Token => tokens[position++];
  const fail = (token: Token, message: string, hint?: string): never => {
    throw syntaxError(text, token.at, message, hint);
  };
  const shown = (token: Token): string => (token.kind === 'end' ? 'the end' : `"${token.text}"`);
  const reserved = (token: Token): boolean =>
    style === 'reading' && token.kind === 'name' && (RESERVED as readonly string[]).includes(token.text);
  const expect = (symbol: string, why: string): Token => {
    const token = next();
    return isOperator(token, symbol) ? token : fail(token, `${why}, but ${shown(token)} stands here`, `Write "${symbol}".`);
  };
  const name = (what: string): Token => {
    const token = next();
    if ((token.kind !== 'name' && token.kind !== 'quoted') || reserved(token)) {
      return fail(
        token,
        `${what} is expected, but ${shown(token)} stands here`,
        reserved(token) ? 'Reserved words are quoted to be names.' : undefined,
      );
    }
    return token;
  };
  const named = (what: string): Named => {
    const token = peek();
    if (token.kind !== 'bracket') {
      const { text: written, at } = name(what);
      return { text: written, literal: false, at };
    }
    next();
    return { text: token.text, literal: true, at: token.at + 1 };
  };
  const attribute = (): string => {
    const first = name('an attribute').text;
    if (!isOperator(peek(), '.')) return first;
    next();
    return `${first}.${name('an attribute').text}`;
  };
  const across = (at: number): NonNullable<Modifiers['across']> => {
    if (peek().kind === 'name' && peek().text === 'all') {
      next();
      return { attributes: 'all', at };
    }
    if (!isOperator(peek(), '(')) return { attributes: [attribute()], at };
    next();
    const attributes = [attribute()];
    while (isOperator(peek(), ',')) {
      next();
      attributes.push(attribute());
    }
    expect(')', 'the list of attributes is not closed');
    return { attributes, at };
  };
  const form = (): Form => {
    if (!(peek().kind === 'name' && peek().text === 'as')) return 'value';
    next();
    const token = name('value, difference, change, ratio or index');
    const known = FORMS.find((candidate) => candidate === token.text);
    return known ?? fail(token, `"${token.text}" is not a form`, `Forms: ${FORMS.join(', ')}.`);
  };

  const modifiers = (of: Expression): Expression => {
    const found: { -readonly [K in keyof Modifiers]: Modifiers[K] } = {};
    while (reserved(peek())) {
      const token = next();
      const key = token.text as keyof Modifiers | 'as';
      if (key === 'as') return fail(token, '"as" needs a comparison before it', 'Write for example "revenue vs previous as change".');
      if (found[key]) return fail(token, `"${key}" stands twice`, 'Each modifier may stand once on a thing; parentheses make a new thing.');
      if (key === 'on') found.on = { role: name('a role').text, at: token.at };
      else if (key === 'over') found.over = named('a window');
      else if (key === 'across') found.across = across(token.at);
      else {
        const comparison = named('a comparison');
        found.vs = { ...comparison, form: form() };
      }
    }
    return Object.keys(found).length > 0 ? { kind: 'modified', of, modifiers: found, at: of.at } : of;
  };

  const primary = (): Expression => {
    const token = next();
    if (token.kind === 'number') return { kind: 'number', value: Number(token.text), at: token.at };
    if (isOperator(token, '(')) {
      const inner = sum();
      expect(')', 'the parenthesis is not closed');
      return inner;
    }
    const called = token.kind === 'name' && isOperator(peek(), '(');
    if (called && style === 'reading') {
      const known = FUNCTIONS.find((candidate) => candidate === token.text);
      if (!known) {
        const near = nearest(token.text, FUNCTIONS);
        return fail(
          token,
          `there is no function "${token.text}"`,
          near ? `Did you mean "${near}"?` : `Functions: ${FUNCTIONS.join(', ')}.`,
        );
      }
      next();
      const args = [sum()];
      while (isOperator(peek(), ',')) {
        next();
        args.push(sum());
      }
      expect(')', `the parenthesis of ${known} is not closed`);
      return call(known, args, token);
    }
    if ((token.kind !== 'name' && token.kind !== 'quoted') || reserved(token)) {
      const hint = reserved(token) ? `"${token.text}" belongs behind a name, as in "revenue ${token.text} …".` : undefined;
      return fail(token, `a measure, number or parenthesis is expected, but ${shown(token)} stands here`, hint);
    }
    return { kind: 'name', name: token.text, at: token.at };
  };
  const call = (known: FunctionName, args: Expression[], token: Token): Expression => {
    const [least, most] = known === 'abs' ? [1, 1] : known === 'round' ? [1, 2] : [1, 50];
    if (args.length < least || args.length > most)
      fail(token, `${known} takes ${most === 1 ? 'one argument' : `${least} to ${most} arguments`}, not ${args.length}`);
    if (args.length === 1 && (known === 'min' || known === 'max'))
      fail(
        token,
        `${known} of one reading is that reading itself, in every row`,
        `In a reading, ${known} picks the ${known === 'max' ? 'greatest' : 'least'} of several in the same row: ${known}(revenue, budget). Over rows of data it is a measure of its own, { ${known}: column }.`,
      );
    const digits = args[1];
    if (known === 'round' && digits && !(digits.kind === 'number' && Number.isInteger(digits.value) && digits.value <= 15)) {
      throw syntaxError(text, digits.at, 'the second argument of round is a whole number of decimals', 'For example round(revenue, 2).');
    }
    return { kind: 'call', name: known, args, at: token.at };
  };
  const factor = (): Expression => {
    if (++depth > DEEPEST) fail(peek(), 'this is nested too deeply', `At most ${DEEPEST} levels are read.`);
    const token = peek();
    let result: Expression;
    if (isOperator(token, '-')) {
      next();
      result = { kind: 'negate', of: factor(), at: token.at };
    } else {
      result = modifiers(primary());
    }
    depth--;
    return result;
  };
  /** `revenue / budget vs year-earlier` could mean two things; both have a way to be written. */
  const unambiguous = (operand: Expression, from: number): void => {
    if (operand.kind === 'negate') unambiguous(operand.of, from + 1);
    if (operand.kind !== 'modified' || !operand.modifiers.vs) return;
    const opened = tokens.slice(from, position);
    const last = opened[opened.length - 1];
    if (isOperator(opened[0], '(') && isOperator(last, ')') && closes(opened)) return;
    const vs = opened.find((token) => token.text === 'vs' && token.kind === 'name') ?? opened[0];
    fail(vs, 'it is not clear how far "vs" reaches', 'Put parentheses: "(a / b) vs previous" or "a / (b vs previous)".');
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
  const chain = (symbols: string, operand: () => Expression): Expression => {
    let from = position;
    let left = operand();
    while (isOperator(peek(), symbols)) {
      unambiguous(left, from);
      if (++terms > MOST_TERMS)
        fail(
          peek(),
          'this is too long',
          `At most ${MOST_TERMS.toLocaleString('en')} terms are read; put parts of it into formulas of their own.`,
        );
      const token = next();
      from = position;
      const right = operand();
      unambiguous(right, from);
      left = { kind: 'binary', operator: token.text as Operator, left, right, at: token.at };
    }
    return left;
  };
  const product = (): Expression => chain('*/', factor);
  const sum = (): Expression => chain('+-', product);

  const result = sum();
  const rest = peek();
  if (rest.kind !== 'end') {
    const split = rest.kind === 'name' || rest.kind === 'quoted' || rest.kind === 'number';
    fail(
      rest,
      `${shown(rest)} is not expected here`,
      split ? 'Between two values stands one of + - * /, with blanks around a minus sign.' : undefined,
    );
  }
  return result;
};
