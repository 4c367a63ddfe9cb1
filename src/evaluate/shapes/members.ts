import { type AttributeRef, NONE, reach, UNKNOWN } from '../../model/attributes.ts';
import type { Fact, Link } from '../../model/model.ts';
import { type Bound, bindText, leavesOf } from '../../plan/bind.ts';
import { unreached } from '../../plan/fixed.ts';
import { passes } from '../../plan/members.ts';
import type { Segments } from '../../plan/request.ts';
import { unitPlaces } from '../../windows/place.ts';
import { VALUE } from '../column.ts';
import { type Cells, cellsFrom } from '../cubes.ts';
import type { Evaluation, Fine, LeafTask } from '../scope.ts';

/** What a reading adds up: its amounts, how many values stand behind them, and how many rows. */
export interface AdditiveCells {
  readonly rows: Cells;
  readonly count: Cells;
  readonly cells: Cells;
}

/** One amount by segment, and the texts that say whose it is. */
interface Strand {
  readonly texts: readonly string[];
  readonly amounts: Float64Array;
  readonly counts: Float64Array;
  readonly rows: Float64Array;
}

const attributeOfLink = ({ part, dimension, attribute }: Link): AttributeRef => {
  const own =
    attribute ?? (dimension.attributes.has(dimension.name) ? dimension.name : (dimension.attributes.keys().next().value as string));
  return { kind: 'attribute', key: `${part}.${own}`, part, dimension, attribute: own };
};

/** Where each attribute stands in a list; attributes are the same when their keys are. */
const places = (wanted: readonly AttributeRef[], list: readonly AttributeRef[]): number[] =>
  wanted.map(({ key }) => list.findIndex((other) => other.key === key));
const pick = (texts: readonly string[], at: readonly number[]): string[] => at.map((k) => texts[k]);

/**
 * Lays a coarse amount on the finer members of a dimension, in the shape of another reading (G6): the amount of a
 * segment and of the fact's own members is shared out in proportion to the shape of that segment and those members.
 * Blank or negative weighs 0; without any weight the members there are share alike.
 */
export const spreadAcross = async (
  task: LeafTask & { readonly fine: Fine },
  segments: Segments,
  load: (attributes: readonly AttributeRef[]) => Promise<AdditiveCells>,
  evaluation: Evaluation,
): Promise<AdditiveCells> => {
  const { fine, leaf } = task;
  const { measure } = leaf;
  const { model } = evaluation.frame;
  const shapes = [...measure.spreadAcross].filter(([part]) =>
    fine.attributes.some((attribute) => attribute.kind === 'attribute' && attribute.part === part),
  );
  // The shape depends on the members of a row, so the amounts are fetched by all of them.
  const own = [...task.attributes];
  for (const link of measure.fact.links) {
    const attribute = attributeOfLink(link);
    if (!own.some(({ key }) => key === attribute.key)) own.push(attribute);
  }
  for (const attribute of fine.combinations?.attributes ?? []) {
    if (reach(measure.fact, attribute) && !own.some(({ key }) => key === attribute.key)) own.push(attribute);
  }
  const base = await load(own);
  const factor = 10 ** Math.max(base.cells.scale, 0);
  const width = base.cells.tuples.length;
  const column = ({ cells }: Cells, m: number): Float64Array => Float64Array.from(segments.starts, (_, s) => cells[s * width + m]);
  let attributes: readonly AttributeRef[] = own;
  let strands: Strand[] = base.cells.tuples.map((texts, m) => ({
    texts,
    amounts: column(base.cells, m).map((amount) => amount / factor),
    counts: column(base.count, m),
    rows: column(base.rows, m),
  }));
  for (const [part, text] of shapes) {
    const below = fine.attributes.filter((attribute) => attribute.kind === 'attribute' && attribute.part === part);
    strands = await shareOut(strands, attributes, below, bindText(model, text), task, segments, evaluation);
    attributes = [...attributes, ...below];
  }
  return collect(strands, attributes, task, segments);
};

/** Shares every strand out among the members of one dimension. */
const shareOut = async (
  strands: readonly Strand[],
  attributes: readonly AttributeRef[],
  below: readonly AttributeRef[],
  shape: Bound,
  task: LeafTask,
  segments: Segments,
  evaluation: Evaluation,
): Promise<Strand[]> => {
  const { fact, name } = task.leaf.measure;
  const facts = leavesOf(shape).map(({ measure }) => measure.fact);
  const seen = attributes.filter((attribute) => facts.every((other) => reach(other, attribute) !== undefined));
  const weights = await shapeWeights(shape, seen, below, fact, segments, evaluation);
  const seenAt = places(seen, attributes);
  // Every member below the strand's own, for amounts without a shape.
  const [first] = below;
  if (first.kind !== 'attribute') return [...strands];
  const above = attributes.filter((attribute) => attribute.kind === 'attribute' && attribute.part === first.part);
  const names = [...above, ...below].map((attribute) => (attribute.kind === 'attribute' ? attribute.attribute : ''));
  const members = [...(await evaluation.store.combinations(first.dimension, names))].sort((a, b) =>
    a.join('\u0000') < b.join('\u0000') ? -1 : 1,
  );
  const aboveAt = places(above, attributes);
  let even = false;
  const result: Strand[] = [];
  for (const strand of strands) {
    const shaped = weights.get(JSON.stringify(pick(strand.texts, seenAt))) ?? new Map<string, Weights>();
    const coarse = pick(strand.texts, aboveAt);
    const special = coarse.find((text) => text === NONE || text === UNKNOWN);
    const there = members.filter((tuple) => coarse.every((text, k) => tuple[k] === text)).map((tuple) => tuple.slice(coarse.length));
    const alike = special !== undefined || there.length === 0 ? [below.map(() => special ?? NONE)] : there;
    const options = new Map<string, readonly string[]>(
      [...alike, ...[...shaped.values()].map(({ texts }) => texts)].map((texts) => [JSON.stringify(texts), texts]),
    );
    const total = Float64Array.from(segments.starts, (_, s) => {
      let sum = 0;
      for (const { values } of shaped.values()) sum += values[s];
      return sum;
    });
    const evenKeys = new Set(alike.map((texts) => JSON.stringify(texts)));
    for (const [key, texts] of options) {
      const own = shaped.get(key)?.values;
      const share = total.map((sum, s) => (sum > 0 ? (own?.[s] ?? 0) / sum : evenKeys.has(key) ? 1 / evenKeys.size : 0));
      const part = (list: Float64Array): Float64Array => list.map((value, s) => (share[s] > 0 ? value : 0));
      result.push({
        texts: [...strand.texts, ...texts],
        amounts: strand.amounts.map((amount, s) => amount * share[s]),
        counts: part(strand.counts),
        rows: part(strand.rows),
      });
    }
    if (total.some((sum, s) => sum === 0 && strand.rows[s] > 0)) even = true;
  }
  if (even)
    evaluation.notes.add(`spread across ${name}`, {
      code: 'spread-fallback',
      measure: name,
      dimension: first.part,
      message: `${name}: amounts for which the shape says nothing lie on all ${first.part} members alike`,
    });
  return result;
};

interface Weights {
  readonly texts: readonly string[];
  readonly values: Float64Array;
}

/** The shape by what it is read for, and below that by finer member: one weight a segment, read over the whole of it. */
const shapeWeights = async (
  shape: Bound,
  seen: readonly AttributeRef[],
  below: readonly AttributeRef[],
  fact: Fact,
  segments: Segments,
  evaluation: Evaluation,
): Promise<Map<string, Map<string, Weights>>> => {
  const found = new Map<string, Map<string, Weights>>();
  const count = segments.starts.length;
  if (count === 0) return found;
  const { calendar } = evaluation.frame;
  // A share is one of the whole, hidden members included.
  const read = unreached(fact, evaluation.fixed).length > 0 ? evaluation.whole : evaluation.view;
  const unit = calendar.unit(fact.grain);
  // Laid as if every period were over: a shape is that of the whole period.
  const places = unitPlaces(calendar, unit, segments.starts[0], segments.ends[count - 1], Number.POSITIVE_INFINITY);
  const axis = { kind: { kind: 'unit' as const, unit }, places, labels: [], windows: undefined };
  const data = await read([shape], {
    view: { axis, rows: 'periods' },
    attributes: [...seen, ...below],
    filters: [],
    combinations: undefined,
    tuples: undefined,
  });
  const [{ values, state }] = data.columns;
  const width = data.tuples.length;
  data.tuples.forEach((tuple, m) => {
    const list = Float64Array.from(places, (_, s) => (state[s * width + m] === VALUE ? Math.max(values[s * width + m], 0) : 0));
    const key = JSON.stringify(tuple.slice(0, seen.length));
    const group = found.get(key) ?? new Map<string, Weights>();
    found.set(key, group);
    const texts = tuple.slice(seen.length);
    group.set(JSON.stringify(texts), { texts, values: list });
  });
  return found;
};

/** Adds strands up to what is asked: filters on finer members first, then the attributes split by. */
const collect = (strands: readonly Strand[], attributes: readonly AttributeRef[], task: LeafTask, segments: Segments): AdditiveCells => {
  const { fine, kept } = task;
  const tests = (fine?.filters ?? []).map(({ attribute, test }) => ({ at: places([attribute], attributes)[0], test }));
  const { combinations } = fine ?? {};
  const listed = combinations && {
    at: places(combinations.attributes, attributes),
    keys: new Set(combinations.list.map((tuple) => JSON.stringify(tuple))),
  };
  const keptAt = places(kept, attributes);
  const groups = new Map<string, { texts: readonly string[]; members: Strand[] }>();
  for (const strand of strands) {
    if (!tests.every(({ at, test }) => passes(strand.texts[at], test))) continue;
    if (listed && listed.keys.has(JSON.stringify(pick(strand.texts, listed.at))) !== (combinations?.keep === 'listed')) continue;
    if (!strand.rows.some((rows) => rows > 0)) continue;
    const texts = pick(strand.texts, keptAt);
    const key = JSON.stringify(texts);
    const group = groups.get(key) ?? { texts, members: [] };
    groups.set(key, group);
    group.members.push(strand);
  }
  const list = [...groups.values()];
  const tuples = list.map(({ texts }) => texts);
  const sum = (of: (strand: Strand) => Float64Array): Float64Array => {
    const out = new Float64Array(segments.starts.length * list.length);
    list.forEach(({ members }, m) => {
      for (const strand of members)
        of(strand).forEach((value, s) => {
          out[s * list.length + m] += value;
        });
    });
    return out;
  };
  return {
    rows: cellsFrom(
      segments,
      tuples,
      sum(({ rows }) => rows),
      0,
    ),
    count: cellsFrom(
      segments,
      tuples,
      sum(({ counts }) => counts),
      0,
    ),
    cells: cellsFrom(
      segments,
      tuples,
      sum(({ amounts }) => amounts),
      -1,
    ),
  };
};
