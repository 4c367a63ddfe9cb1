// Evaluates expressions, modifiers and shapes.
import { parseReading } from '../../src/language/parse.ts';
import type { Expression, Modifiers } from '../../src/language/syntax.ts';
import type { NamedWindow } from '../../src/model/model.ts';
import { parseAgainst, parseWindow } from '../../src/windows/syntax.ts';
import { type Cell, callFunction, combine, formed, value } from './cell.ts';
import type { Ground, RefSeen, Tuple } from './ground.ts';
import { type Context, measureCell, type Shapes } from './measure.ts';
import { plusMonths, type RefComparison, type RefPlace, type RefTime, refPlace } from './time.ts';

const weightOf = (cell: Cell): number => (cell.kind === 'value' && cell.v > 0 ? cell.v : 0);

export type Evaluate = (node: Expression, context: Context) => Cell;

/** Evaluates readings row by row. */
export const evaluatorOf = (ground: Ground, time: RefTime): Evaluate => {
  const { model, once } = ground;
  const shapeAt = (text: string, place: RefPlace, unitName: string, tuple: Tuple, base: RefSeen): Cell =>
    evaluate(parseReading(text), {
      places: [place],
      mode: 'row',
      windows: undefined,
      row: 0,
      tuple,
      chain: [],
      base,
      seen: { any: false, days: false },
      time: { ...time, asOf: base.asOf, axis: { kind: 'unit', unit: ground.unit(unitName) } },
      shape: true,
    });
  const shapes: Shapes = {
    dayWeight: (text, d, base) =>
      once(`weight ${text} ${d} ${base.asOf} ${base.knownBy}`, () => ({
        weight: weightOf(shapeAt(text, refPlace(d, d, base.asOf), 'day', {}, base)),
        unread: (text.includes('vs year-earlier') ? plusMonths(d, -12, false) : d) > base.asOf,
      })),
    // By the shape over the whole period, else evenly.
    productShares: (text, { members: { region, family } }, period, fact, base) =>
      once(`shares ${text} ${period.start} ${region} ${family} ${base.asOf} ${base.knownBy}`, () => {
        const names = ground.world.products.filter((product) => product.family === family).map(({ product }) => product);
        const whole = refPlace(period.start, period.end, Number.POSITIVE_INFINITY);
        const weights = names.map((product) => weightOf(shapeAt(text, whole, fact.grain, { region, family, product }, base)));
        const sum = weights.reduce((a, b) => a + b, 0);
        return new Map(names.map((product, k) => [product, sum > 0 ? weights[k] / sum : 1 / names.length]));
      }),
  };
  const literalWindow = (text: string): NamedWindow =>
    once(`window ${text}`, () => ({
      name: text,
      text,
      window: parseWindow(text, model.units),
      label: undefined,
      previous: undefined,
      full: false,
      builtIn: false,
    }));
  const literalComparison = (text: string): RefComparison =>
    once(`comparison ${text}`, () => ({ ...parseAgainst(text, model.units), match: 'elapsed' }));
  const modified = (of: Expression, { on, over, across, vs }: Modifiers, context: Context): Cell => {
    const window = over && (over.literal ? literalWindow(over.text) : (model.windows.get(over.text) as NamedWindow));
    const inner: Context = {
      ...context,
      on: on?.role ?? context.on,
      over: window ?? context.over,
      across: across?.attributes ?? context.across,
    };
    const v = evaluate(of, inner);
    if (!vs) return v;
    const comparison = vs.literal ? literalComparison(vs.text) : model.comparisons.get(vs.text);
    if (!comparison) throw new Error(`no comparison ${vs.text}`);
    return formed(vs.form, v, evaluate(of, { ...inner, chain: [...context.chain, comparison] }));
  };
  const evaluate: Evaluate = (node, context) => {
    switch (node.kind) {
      case 'number':
        return value(node.value);
      case 'rate':
        throw new Error('rates belong to columns');
      case 'name': {
        const measure = model.measures.get(node.name);
        if (measure) return measureCell(ground, shapes, measure, context);
        const formula = model.formulas.get(node.name);
        if (!formula) throw new Error(`no measure ${node.name}`);
        return evaluate(formula.expression, context);
      }
      case 'negate': {
        const of = evaluate(node.of, context);
        return of.kind === 'value' ? value(-of.v) : of;
      }
      case 'binary':
        return combine(node.operator, evaluate(node.left, context), evaluate(node.right, context));
      case 'call':
        return callFunction(
          node.name,
          node.args.map((arg) => evaluate(arg, context)),
        );
      case 'modified':
        return modified(node.of, node.modifiers, context);
    }
  };
  return evaluate;
};
