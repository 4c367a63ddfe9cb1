// What numbers that differ are to blame on: a definition, the calendar, rows, or what is seen of them.
import { counted } from '../basics/text.ts';
import { usedRates } from '../model/columns.ts';
import type { Model } from '../model/model.ts';
import type { Question } from '../model/schema.ts';
import { leavesOf } from '../plan/bind.ts';
import { askedOf, filtersOf } from '../plan/question.ts';
import { namesIn } from './mentioned.ts';
import type { Cause, CauseCode } from './report.ts';
import type { Factor, World } from './sides.ts';

/** One reading of a question: what else chooses among its members says nothing of it alone. */
export const alone = (question: Question, show: Question['show']): Question => ({
  ...question,
  show,
  order: undefined,
  keep: undefined,
  limit: undefined,
  within: undefined,
  rest: undefined,
});

/** Sources whose rows a reading looks at: those of its facts, of the dimensions that they are split and filtered by, and of rates. */
const sourcesOf = (reading: string, question: Question, model: Model): ReadonlySet<string> => {
  const { columns, per, filters } = askedOf(model, alone(question, [reading]));
  const found = new Set<string>();
  for (const { measure } of columns.flatMap(({ bound }) => leavesOf(bound))) {
    found.add(measure.fact.source);
    for (const { rate } of usedRates(measure.fact, model)) found.add(rate.source);
  }
  const own = columns.flatMap(({ bound }) => leavesOf(bound)).flatMap(({ measure }) => filtersOf(model, measure.where));
  for (const { attribute } of [...per, ...filters, ...own])
    if (attribute.kind === 'attribute' && attribute.dimension.source) found.add(attribute.dimension.source);
  return found;
};

/** What of the data a reading's numbers are to blame on. */
const dataCauses = (
  reading: string,
  question: Question,
  cells: number,
  moved: readonly [string, string] | undefined,
  { sides, rows }: World,
): readonly Cause[] => {
  const found: Cause[] = [];
  const add = (code: CauseCode, text: string): void => void found.push({ code, cells, text });
  const sources = sourcesOf(reading, question, sides[0].model);
  for (const { source, added, removed, changed, revised, columns } of rows?.filter((change) => sources.has(change.source)) ?? []) {
    if (added > 0) add('rows-added', `${counted(added, 'row')} added to ${source}`);
    if (removed > 0) add('rows-removed', `${counted(removed, 'row')} removed from ${source}`);
    if (changed > 0) add('rows-changed', `${counted(changed, 'row')} changed in ${source} (${columns.join(', ')})`);
    if (revised > 0) add('revision', `${counted(revised, 'row')} revised in ${source}`);
  }
  if (found.length === 0 && moved) add('as-of', `the latest day moved from ${moved[0]} to ${moved[1]}`);
  if (found.length === 0) add('data', 'the data differ');
  return found;
};

/** Which changed definitions a reading leans on. */
const definitionCause = (reading: string, question: Question, cells: number, { sides, definitions }: World): Cause => {
  const names = new Set(sides.flatMap(({ model }) => namesIn(reading, question, model)));
  const own = definitions.filter(({ kind, name, of }) => names.has(`${kind} ${of === undefined ? '' : `${of} `}${name}`));
  const list = own.map(({ kind, name }) => `${kind} ${name}`);
  return { code: 'definition', cells, text: list.length > 0 ? `defined differently: ${list.join(', ')}` : 'definitions differ' };
};

/** What a factor is to blame for in a reading: cells that it makes differ; `moved` the latest day by it. */
export const causeOf = (
  factor: Factor,
  reading: string,
  question: Question,
  cells: number,
  moved: readonly [string, string] | undefined,
  world: World,
): readonly Cause[] => {
  const [old, now] = world.sides;
  switch (factor) {
    case 'definition':
      return [definitionCause(reading, question, cells, world)];
    case 'calendar': {
      const list = world.definitions.filter(
        ({ kind, name }) => kind === 'calendar' || (kind === 'setting' && name !== 'name' && name !== 'as-of'),
      );
      return [{ code: 'calendar', cells, text: `the calendar differs: ${list.map(({ name }) => name).join(', ')}` }];
    }
    case 'data':
      return dataCauses(reading, question, cells, moved, world);
    case 'asOf':
      return [{ code: 'as-of', cells, text: `seen as of ${now.asOf ?? now.model.asOf} instead of ${old.asOf ?? old.model.asOf}` }];
    case 'knownBy':
      return [{ code: 'revision', cells, text: `as known by ${now.knownBy ?? 'now'} instead of ${old.knownBy ?? 'now'}` }];
  }
};
