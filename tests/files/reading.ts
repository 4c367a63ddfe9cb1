import { loadZones } from '../../src/calendar/dates.ts';
import { isoOf } from '../../src/calendar/day.ts';
import type { Store } from '../../src/engines/engine.ts';
import { DurchblickError, defineModel, type Engine, type Model } from '../../src/index.ts';
import { attributeOf } from '../../src/model/attributes.ts';
import type { AggregateRequest, Filter, Segments } from '../../src/plan/request.ts';
import { ALL_TIME } from '../../src/plan/segments.ts';
import type { FileCase, Row } from './cases.ts';

/** The model that every file of the table is read by. */
export const modelOf = (file: string, { date = {}, source = {}, zone = 'UTC' }: NonNullable<FileCase['model']> = {}): Model => {
  const { grain = 'day', ...role } = date as { readonly grain?: string };
  return defineModel({
    timeZone: zone,
    sources: { t: { file, ...source } },
    dimensions: { k: {} },
    facts: { t: { source: 't', grain, dates: { d: { column: 'd', ...role } }, links: { k: 'k' }, measures: { v: { sum: 'v' } } } },
  }) as unknown as Model;
};

const AGGREGATES: readonly AggregateRequest[] = [
  { kind: 'rows', where: [] },
  { kind: 'count', value: { kind: 'column', column: 'v' }, where: [] },
  { kind: 'sum', value: { kind: 'column', column: 'v' }, where: [] },
];

const cells = async (store: Store, model: Model, role: string | undefined, segments: Segments, filters: readonly Filter[]) => {
  const fact = [...model.facts.values()][0];
  const rowSet = { fact, role, attributes: [attributeOf(model, 'k')], filters, knownBy: undefined };
  const [{ tuples, columns }] = await store.cubes([{ ...rowSet, segments, aggregates: AGGREGATES }]);
  const found: Row[] = [];
  const [rows, count, sum] = columns;
  for (let s = 0; s < segments.starts.length; s++)
    tuples.forEach(([member], m) => {
      const at = s * tuples.length + m;
      if (rows.cells[at] === 0) return;
      const day = role === undefined ? null : isoOf(segments.starts[s]);
      found.push([day, member, count.cells[at] === 0 ? null : sum.cells[at] / 10 ** Math.max(sum.scale, 0)]);
    });
  return found;
};

const byText = (a: Row, b: Row): number => {
  const [x, y] = [JSON.stringify(a), JSON.stringify(b)];
  return x < y ? -1 : x > y ? 1 : 0;
};

/** What an engine makes of a file: its rows by day and member, or the error, as far as two engines must agree about it. */
export const readBy = async (
  engine: Engine,
  model: Model,
): Promise<readonly Row[] | { readonly code: string; readonly message: string }> => {
  await loadZones(model.timeZone);
  let store: Store | undefined;
  try {
    store = await engine.open(model, { fixed: new Map(), hiding: [] });
    const fact = [...model.facts.values()][0];
    const bounds = (await store.bounds(fact, undefined)).get('d');
    const length = bounds ? bounds.last - bounds.first + 1 : 0;
    const starts = Int32Array.from({ length }, (_, k) => (bounds?.first ?? 0) + k);
    const placed = length === 0 ? [] : await cells(store, model, 'd', { key: 'days', starts, ends: starts }, []);
    const unplaced = await cells(store, model, undefined, ALL_TIME, [{ kind: 'date', role: 'd', is: 'blank', why: 'told' }]);
    return [...placed, ...unplaced].sort(byText);
  } catch (error) {
    if (!(error instanceof DurchblickError)) throw error;
    return { code: error.code, message: error.message };
  } finally {
    await store?.close();
  }
};

export const sorted = (rows: readonly Row[]): readonly Row[] => [...rows].sort(byText);
