import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { DurchblickError, defineModel, describe as inWords } from '../../src/index.ts';
import { parseReading } from '../../src/language/parse.ts';
import { bindText } from '../../src/plan/bind.ts';

const model = defineModel({
  dimensions: { region: {} },
  facts: {
    lines: {
      source: 'lines',
      dates: { ordered: 'o', shipped: 's' },
      links: { region: 'region' },
      measures: { revenue: { sum: 'net', role: 'ordered' }, orders: { countDistinct: 'id', role: 'shipped' } },
    },
    budget: {
      source: 'budget',
      grain: 'month',
      horizon: 'plan',
      dates: { planned: 'm' },
      links: { region: 'region' },
      measures: { budget: { sum: 'a', spread: 'even' } },
    },
  },
  formulas: { average: 'revenue / orders', running: '(revenue over mtd) / orders' },
});

describe('readings', () => {
  test.each([
    ['revenue - -1 * 2', 'binary'],
    ['revenue on shipped over mtd across (region) vs previous as change', 'modified'],
    ['(revenue over [P10D/anchor-P1D]) / budget', 'binary'],
    ['coalesce(revenue, round(orders, 2), 0)', 'call'],
    ['"revenue" vs [-1 fiscal-year]', 'modified'],
    ['((revenue vs previous) / budget) vs previous', 'modified'],
  ])('%s is a %s', (text, kind) => expect(parseReading(text).kind).toBe(kind));

  test('M8: modifiers go down to the measures that do not carry their own', () => {
    const bound = bindText(model, 'running over ytd on shipped');
    expect(bound).toMatchObject({
      left: { measure: { name: 'revenue' }, window: { name: 'mtd' }, role: { name: 'shipped' } },
      right: { measure: { name: 'orders' }, window: { name: 'ytd' }, role: { name: 'shipped' } },
    });
    expect(bindText(model, '(revenue + budget) on shipped')).toMatchObject({
      left: { role: { name: 'shipped' } },
      right: { role: { name: 'planned' } },
    });
  });

  const faults: [string, number, RegExp][] = [
    ['revenue over', 12, /a window is expected/],
    ['revenue as change', 8, /"as" needs a comparison/],
    ['revenue over mtd over ytd', 17, /"over" stands twice/],
    ['revenue budget', 8, /"budget" is not expected here/],
    ['revenue * (budget', 17, /not closed/],
    ['revenue vs previous as chnge', 23, /"chnge" is not a form/],
    ['sum(revenue)', 0, /no function "sum"/],
    ['Revenue', 0, /small letters/],
    ['revenue over [start(mnth)/anchor]', 20, /no unit "mnth"/],
    ['revenue - budget vs previous', 17, /how far "vs" reaches/],
    ['budget on shipped', 7, /no date "shipped"/],
    ['(revenue over mtd) over ytd', 24, /reaches nothing/],
    ['3 vs previous', 5, /"vs" reaches nothing|previous/],
    ['revenue across regoin', 8, /"regoin"/],
    ['revenue-budget', 0, /no measure or formula "revenue-budget"/],
  ];
  test.each(faults)('%s: a caret at %i', (text, at, message) => {
    try {
      bindText(model, text);
      expect.fail('it was accepted');
    } catch (error) {
      expect(error).toBeInstanceOf(DurchblickError);
      const words = inWords(error as DurchblickError);
      expect(words).toMatch(message);
      if ((error as DurchblickError).at !== undefined && (error as DurchblickError).text === text)
        expect(words.split('\n')[2].indexOf('^') - 2).toBe(at);
    }
  });

  test('a formula that refers to itself is found when the model is checked', () => {
    const facts = { f: { source: 's', dates: { on: 'd' }, measures: { m: { count: 'rows' } } } } as const;
    expect(() => defineModel({ facts, formulas: { a: 'b + 1', b: 'a * m' } })).toThrow(/refers to itself/);
  });

  test('the parser ends, and throws nothing but its own error, whatever it is given', () => {
    const piece = fc.constantFrom(
      ...'revenue over vs as on across all ( ) [ ] + - * / , . " 1.5'.split(' '),
      ' ',
      ...'change mtd round [-P1Y] É'.split(' '),
      '\0',
      '__proto__',
    );
    const text = fc.oneof(
      fc.string({ unit: 'binary', maxLength: 60 }),
      fc.array(piece, { maxLength: 40 }).map((parts) => parts.join(' ')),
      fc.array(piece, { maxLength: 40 }).map((parts) => parts.join('')),
    );
    fc.assert(
      fc.property(text, (written) => {
        try {
          bindText(model, written);
        } catch (error) {
          if (!(error instanceof DurchblickError)) throw error;
        }
      }),
      { numRuns: 5000 },
    );
    expect(() => parseReading('('.repeat(5000))).toThrow(DurchblickError);
    expect(() => parseReading(`${'-'.repeat(9000)}revenue`)).toThrow(DurchblickError);
  });
});
