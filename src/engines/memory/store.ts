import { FIRST_DAY, LAST_DAY, NO_DAY } from '../../calendar/day.ts';
import { DurchblickError } from '../../errors.ts';
import type { Files } from '../../files/files.ts';
import { compareTexts } from '../../kernels/text.ts';
import { type AttributeRef, NONE, UNKNOWN } from '../../model/attributes.ts';
import type { Fact, Model } from '../../model/model.ts';
import type { Bounds } from '../../plan/request.ts';
import type { OpenOptions, Store } from '../engine.ts';
import { cubes, type Scanner } from './cubes.ts';
import { type DimensionData, dimensionData } from './facts.ts';
import { located, type Opened, openFact } from './opened.ts';
import { scanAll } from './passes.ts';
import { ownRoom, sharedRoom } from './room.ts';
import { events } from './sightings.ts';
import { type TableInput, tablesOf } from './tables.ts';
import { secondThread } from './threads.ts';

/** Opens a model over tables and files in memory. */
export const openStore = async (
  model: Model,
  given: Readonly<Record<string, TableInput>>,
  files: Files | undefined,
  options: OpenOptions,
): Promise<Store> => {
  const table = tablesOf(model, given, files);
  const dimensions = new Map<string, DimensionData>();
  for (const dimension of model.dimensions.values()) {
    if (dimension.source === undefined) continue;
    const rows = await table(dimension.source);
    dimensions.set(
      dimension.name,
      located(model, ['dimensions', dimension.name], () => dimensionData(dimension, rows)),
    );
  }
  const facts = new Map<string, Opened>();
  let most = 0;
  for (const fact of model.facts.values()) most = Math.max(most, (await table(fact.source)).rows);
  const helper = await secondThread(most);
  const room = helper ? sharedRoom() : ownRoom();
  const scan: Scanner = (scans) => scanAll(scans, room, helper);
  for (const fact of model.facts.values()) facts.set(fact.name, openFact(fact, await table(fact.source), model, dimensions, options, room));
  const opened = (fact: Fact): Opened => facts.get(fact.name) as Opened;

  const bounds = async (fact: Fact, knownBy: number | undefined): Promise<ReadonlyMap<string, Bounds | undefined>> => {
    const { data, mask } = opened(fact);
    const seen = mask([], knownBy);
    const result = new Map<string, Bounds | undefined>();
    for (const [role, column] of data.roles) {
      let { first, last } = column;
      if (seen) {
        [first, last] = [LAST_DAY + 1, FIRST_DAY - 1];
        column.days.forEach((day, i) => {
          if (seen[i] === 0 || day === NO_DAY) return;
          if (day < first) first = day;
          if (day > last) last = day;
        });
      }
      result.set(role, first <= last ? { first, last } : undefined);
    }
    return result;
  };

  const members = async (attribute: AttributeRef): Promise<readonly string[]> => {
    const seen = new Set<string>();
    if (attribute.kind === 'attribute') {
      const dimension = dimensions.get(attribute.dimension.name);
      if (dimension) return dimension.members(attribute.attribute);
      for (const { data, mask } of facts.values()) {
        if (!data.fact.links.some((link) => link.part === attribute.part)) continue;
        const { codes, texts } = data.members(attribute);
        // Members that only unseen rows have are not there (V3).
        const visible = options.fixed.get(data.fact.name)?.length ? mask([], undefined) : undefined;
        if (!visible) for (const text of texts) seen.add(text);
        else for (let i = 0; i < visible.length; i++) if (visible[i] === 1) seen.add(texts[codes[i]]);
      }
      return [...seen].filter((text) => text !== NONE && text !== UNKNOWN).sort(compareTexts);
    }
    for (const fact of model.facts.values()) for (const label of fact.bands.get(attribute.band)?.labels ?? []) seen.add(label);
    return [...seen];
  };

  return {
    engine: 'memory',
    notes: [...facts.values()].flatMap(({ data }) => data.notes),
    rows: async (name, columns) => {
      const found = await table(name);
      const lists = columns.map((column) => found.column(column));
      return Array.from({ length: found.rows }, (_, i) => Object.fromEntries(columns.map((column, k) => [column, lists[k][i]])));
    },
    holidays: async (file, timeZone, first, last) => {
      if (!files)
        throw new DurchblickError('no-files', `the holidays are in ${file}, but the engine was given no files`, {
          hint: 'Pass `files`, or list the holidays in the model.',
        });
      let bytes: Uint8Array;
      try {
        bytes = await files(file);
      } catch {
        throw new DurchblickError('no-file', `cannot read ${file}`, {
          place: model.locate(['calendar', 'workingDays', 'holidays']),
          hint: 'Paths are relative to the model file.',
        });
      }
      const { readHolidays } = await import('../../files/ics.ts');
      return readHolidays(new TextDecoder().decode(bytes), file, timeZone, first, last);
    },
    bounds,
    members,
    combinations: async (dimension, attributes) => {
      const data = dimensions.get(dimension.name);
      if (!data) return [];
      const lists = attributes.map((attribute) => data.texts(attribute));
      const found = new Map<string, readonly string[]>();
      for (let row = 0; row < data.rows; row++) {
        const tuple = lists.map((list) => list[row]);
        found.set(JSON.stringify(tuple), tuple);
      }
      return [...found.values()];
    },
    lateRoles: async (fact) => {
      const { data } = opened(fact);
      const entered = data.roles.get(fact.enters ?? '')?.days;
      if (!entered) return [];
      return [...data.roles.entries()]
        .filter(([role, { days }]) => role !== fact.enters && days.some((day, i) => day !== NO_DAY && entered[i] > day))
        .map(([role]) => role);
    },
    cubes: async (requests, signal) => {
      stopIfAborted(signal);
      const tasks = requests.map((request) => ({ opened: opened(request.fact), request }));
      return cubes(tasks, scan);
    },
    events: async (request, signal) => {
      stopIfAborted(signal);
      return events(opened(request.fact), request, scan);
    },
    sample: async ({ fact, role, filters, knownBy, first, last, openAt, limit }) => {
      const { data, mask } = opened(fact);
      const seen = mask(filters, knownBy);
      const days = data.roles.get(role)?.days as Int32Array;
      const until = openAt && data.roles.get(openAt.until)?.days;
      const gone = (row: number): boolean => {
        if (!openAt || !until) return false;
        const day = until[row];
        return day !== NO_DAY && day <= openAt.day && day <= openAt.asOf;
      };
      const found: number[] = [];
      for (let row = 0; row < days.length; row++)
        if (days[row] !== NO_DAY && days[row] >= first && days[row] <= last && seen?.[row] !== 0 && !gone(row)) found.push(row);
      const shown = found.sort((a, b) => days[a] - days[b] || a - b).slice(0, limit);
      const columns = data.table.columnNames.map((name) => data.table.column(name));
      return { columns: data.table.columnNames, first: shown.map((row) => columns.map((column) => sampleValue(column[row]))) };
    },
    close: async () => {
      helper?.forget(room);
      facts.clear();
      dimensions.clear();
    },
  };
};

const sampleValue = (value: unknown): string | number | null =>
  value === null || value === undefined || value === '' || value !== value
    ? null
    : typeof value === 'number'
      ? value
      : value instanceof Date
        ? value.toISOString()
        : String(value);

const stopIfAborted = (signal: { readonly aborted: boolean } | undefined): void => {
  if (signal?.aborted) throw new DurchblickError('aborted', 'the question was aborted', { kind: 'engine' });
};
