// `book.check`: everything in a model and its data that somebody should look at.
import { type Day, NO_DAY } from '../../calendar/day.ts';
import type { Store } from '../../engines/engine.ts';
import { rowDayReader } from '../../engines/shared/values.ts';
import type { Fact, Model, Role } from '../../model/model.ts';
import { NO_REACH } from '../../plan/reach.ts';
import type { LaidSpan } from '../../plan/windows.ts';
import { anchorDays, asOfIn, type BookRecord } from '../record.ts';
import { windowsOf } from '../time.ts';
import { dataFindings } from './data.ts';
import type { Finding } from './finding.ts';
import { nameFindings } from './names.ts';

/** Comparisons of the model that can be held against no unit (C4, C5). */
const unusable = async (
  model: Model,
  windows: (options: { readonly only: readonly string[]; readonly by: string }) => Promise<readonly LaidSpan[]>,
): Promise<Finding[]> => {
  const found: Finding[] = [];
  for (const name of Object.keys(model.input.comparisons ?? {})) {
    const laid = await Promise.all(model.units.map((by) => windows({ only: [name], by })));
    const problems = laid.flat().map(({ problem }) => problem);
    if (problems.length === 0 || problems.some((problem) => problem === undefined)) continue;
    found.push({
      code: 'comparison-unusable',
      severity: 'warning',
      message: `comparison "${name}" works on no axis: ${problems[0]}`,
      count: 1,
      examples: [],
      wayOut: 'Shift by a unit that the axis has, or that holds whole periods of it (C4).',
      place: model.locate(['comparisons', name]),
    });
  }
  return found;
};

const readerOf = async (model: Model, store: Store, fact: Fact, role: string): Promise<(value: unknown) => Day | undefined> => {
  const { column, format, blankDates } = fact.roles.get(role) as Role;
  const kind = await store.kind(fact.source, column);
  const grain = fact.grain === 'day' ? 'day' : 'coarse';
  const read = rowDayReader(kind, { timeZone: model.timeZone, format, blankDates, grain });
  return (value) => {
    const day = read(value);
    return day === NO_DAY ? undefined : day;
  };
};

/** Everything that somebody should look at, what may make numbers wrong first, in one state of the data. */
export const checkBook = async (book: BookRecord): Promise<readonly Finding[]> => {
  const { model, states } = book;
  const data = await states.run(async (state) => {
    const asOf = await asOfIn(book, state, model.asOf);
    const calendar = await state.calendarOver(await anchorDays(book, state, asOf), () => NO_REACH);
    return dataFindings({
      today: book.today(),
      asOf,
      model,
      store: state.store,
      bounds: async (fact) => {
        const found = await state.bounds(undefined);
        return new Map([...fact.roles.keys()].map((role) => [role, found(fact, role)]));
      },
      periodOf: (fact, day) => {
        const index = calendar.indexOf(calendar.unit(fact.grain), day);
        const label = calendar.label(fact.grain, day);
        return index < 0 || label === undefined ? undefined : { index, label };
      },
      labelOf: (fact, index) => calendar.unit(fact.grain).label(index),
      reader: (fact, role) => readerOf(model, state.store, fact, role),
    });
  });
  const rank = { warning: 0, hint: 1 };
  const spans = await unusable(model, (asked) => windowsOf(book, asked));
  return [...data, ...spans, ...nameFindings(model)].sort((a, b) => rank[a.severity] - rank[b.severity]);
};
