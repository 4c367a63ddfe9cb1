// Coarse amounts laid on finer members in the shape of another reading (G6).
import { distinctTuples, tupleIndex, tupleKey } from '../../basics/tuples.ts';
import { type AttributeRef, NONE, UNKNOWN } from '../../model/attributes.ts';
import { passes } from '../../plan/members/test.ts';
import type { PlannedMeasure, PlannedShare } from '../../plan/planned.ts';

import type { Segments } from '../../plan/request.ts';
import { VALUE } from '../column.ts';
import { type Cells, cellsFrom } from '../cubes.ts';
import type { AdditiveCells, Calculation, FineMeasure, LoadedMeasure, LoadedView } from '../scope.ts';

/** One amount by segment, and the texts that say whose it is. */
interface Strand {
  readonly texts: readonly string[];
  readonly amounts: Float64Array;
  readonly counts: Float64Array;
  readonly rows: Float64Array;
}

/** Where each attribute stands in a list; attributes are the same when their keys are. */
const places = (wanted: readonly AttributeRef[], list: readonly AttributeRef[]): number[] =>
  wanted.map(({ key }) => list.findIndex((other) => other.key === key));
const pick = (texts: readonly string[], at: readonly number[]): string[] => at.map((k) => texts[k]);

/**
 * Lays a coarse amount on the finer members of a dimension, in the shape of another reading (G6): the amount of a
 * segment and of the fact's own members is shared out in proportion to the shape of that segment and those members.
 * Blank or negative weighs 0; without any weight the members there are share alike.
 */
export const spreadAcross = (
  measure: FineMeasure,
  base: AdditiveCells,
  loaded: LoadedMeasure['members'],
  over: Calculation,
): AdditiveCells => {
  const { segments, fine, members } = measure;
  const factor = 10 ** Math.max(base.value.scale, 0);
  const width = base.value.tuples.length;
  const column = ({ cells }: Cells, m: number): Float64Array => Float64Array.from(segments.starts, (_, s) => cells[s * width + m]);
  let strands: readonly Strand[] = base.value.tuples.map((texts, m) => ({
    texts,
    amounts: column(base.value, m).map((amount) => amount / factor),
    counts: column(base.count, m),
    rows: column(base.rows, m),
  }));
  members.forEach((share, k) => {
    strands = sharedOut(strands, share, loaded[k], measure, over);
  });
  return collected(strands, [...fine.by, ...members.flatMap(({ below }) => below)], measure);
};

/** The shape for what it is read for: by finer member one weight a segment. */
interface Weights {
  readonly texts: readonly string[];
  readonly values: Float64Array;
}

/** Shares every strand out among the members of one dimension. */
const sharedOut = (
  strands: readonly Strand[],
  { seen, below, above, from, shape, part }: PlannedShare,
  { shape: loaded, combinations }: LoadedMeasure['members'][number],
  { segments, leaf }: PlannedMeasure,
  over: Calculation,
): readonly Strand[] => {
  const { name } = leaf.measure;
  const weights = shapeWeights(shape, loaded, seen.length, segments, over);
  const [seenAt, aboveAt] = [places(seen, from), places(above, from)];
  // Every member below the strand's own, for amounts without a shape.
  const members = [...combinations].sort((a, b) => (a.join('\u0000') < b.join('\u0000') ? -1 : 1));
  const shared = strands.map((strand) => {
    const shaped = weights.get(tupleKey(pick(strand.texts, seenAt))) ?? [];
    const coarse = pick(strand.texts, aboveAt);
    const special = coarse.find((text) => text === NONE || text === UNKNOWN);
    const there = members.filter((tuple) => coarse.every((text, k) => tuple[k] === text)).map((tuple) => tuple.slice(coarse.length));
    const alike = special !== undefined || there.length === 0 ? [below.map(() => special ?? NONE)] : there;
    return strandShares(strand, shaped, distinctTuples(alike), segments);
  });
  if (shared.some(({ even }) => even))
    over.notes.add(`spread across ${name}`, {
      code: 'spread-fallback',
      measure: name,
      why: 'members',
      dimension: part,
    });
  return shared.flatMap(({ parts }) => parts);
};

/** One strand by finer member: in proportion to the weights of each segment, or alike where there are none. */
const strandShares = (strand: Strand, shaped: readonly Weights[], alike: readonly (readonly string[])[], { starts }: Segments) => {
  const options = distinctTuples([...alike, ...shaped.map(({ texts }) => texts)]);
  const total = Float64Array.from(starts, (_, s) => shaped.reduce((sum, { values }) => sum + values[s], 0));
  const shapedAt = tupleIndex(shaped.map(({ texts }) => texts));
  const alikeAt = tupleIndex(alike);
  const parts = options.map((texts): Strand => {
    const own = shaped[shapedAt(texts)]?.values;
    const share = total.map((sum, s) => (sum > 0 ? (own?.[s] ?? 0) / sum : alikeAt(texts) >= 0 ? 1 / alike.length : 0));
    const part = (list: Float64Array): Float64Array => list.map((value, s) => (share[s] > 0 ? value : 0));
    return {
      texts: [...strand.texts, ...texts],
      amounts: strand.amounts.map((amount, s) => amount * share[s]),
      counts: part(strand.counts),
      rows: part(strand.rows),
    };
  });
  return { parts, even: total.some((sum, s) => sum === 0 && strand.rows[s] > 0) };
};

/** The shape by what it is read for, and below that by finer member: one weight a segment, read over the whole of it. */
const shapeWeights = (
  shape: PlannedShare['shape'],
  loaded: LoadedView,
  seen: number,
  { starts }: Segments,
  over: Calculation,
): Map<string, Weights[]> => {
  const found = new Map<string, Weights[]>();
  const { columns, tuples } = over.shape(shape, loaded);
  const [{ values, state }] = columns;
  const width = tuples.length;
  tuples.forEach((tuple, m) => {
    const list = Float64Array.from(starts, (_, s) => (state[s * width + m] === VALUE ? Math.max(values[s * width + m], 0) : 0));
    const key = tupleKey(tuple.slice(0, seen));
    const group = found.get(key) ?? [];
    found.set(key, group);
    group.push({ texts: tuple.slice(seen), values: list });
  });
  return found;
};

/** Adds strands up to what is asked: filters on finer members first, then the attributes split by. */
const collected = (strands: readonly Strand[], attributes: readonly AttributeRef[], measure: FineMeasure): AdditiveCells => {
  const { fine, kept, segments } = measure;
  const tests = fine.filters.map(({ attribute, test }) => ({ at: places([attribute], attributes)[0], test }));
  const { combinations } = fine;
  const listed = combinations && { at: places(combinations.attributes, attributes), has: tupleIndex(combinations.list) };
  // What is told of days is told apart later.
  const keptAt = places(
    kept.filter(({ kind }) => kind !== 'calendar'),
    attributes,
  );
  const groups = new Map<string, { texts: readonly string[]; members: Strand[] }>();
  for (const strand of strands) {
    if (!tests.every(({ at, test }) => passes(strand.texts[at], test))) continue;
    if (listed && listed.has(pick(strand.texts, listed.at)) >= 0 !== (combinations?.keep === 'listed')) continue;
    if (!strand.rows.some((rows) => rows > 0)) continue;
    const texts = pick(strand.texts, keptAt);
    const key = tupleKey(texts);
    const group = groups.get(key) ?? { texts, members: [] };
    groups.set(key, group);
    group.members.push(strand);
  }
  const list = [...groups.values()];
  const tuples = list.map(({ texts }) => texts);
  const summed = (of: (strand: Strand) => Float64Array, scale: number): Cells => {
    const out = new Float64Array(segments.starts.length * list.length);
    list.forEach(({ members }, m) => {
      for (const strand of members)
        of(strand).forEach((value, s) => {
          out[s * list.length + m] += value;
        });
    });
    return cellsFrom(segments, tuples, out, scale);
  };
  return {
    rows: summed(({ rows }) => rows, 0),
    count: summed(({ counts }) => counts, 0),
    value: summed(({ amounts }) => amounts, -1),
  };
};
