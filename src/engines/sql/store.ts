import type { Holiday } from '../../calendar/calendar.ts';
import { DurchblickError, suggest } from '../../errors.ts';
import { readHolidays } from '../../files/ics.ts';
import { prefixSums } from '../../kernels/lookups.ts';
import { once } from '../../kernels/once.ts';
import type { AttributeRef } from '../../model/attributes.ts';
import { orderedMembers } from '../../model/members.ts';
import type { Fact, Model, Source } from '../../model/model.ts';
import type { Bounds, Cancellation, CubeRequest, Events, EventsRequest, Filter } from '../../plan/request.ts';
import type { OpenOptions, Store } from '../engine.ts';
import { cubeStatement, SMALL_DIMENSION } from './cube.ts';
import type { Database, Rows, Session, Statement } from './database.ts';
import type { Relation, SqlColumn } from './dialect.ts';
import { checkDimension, type KeptAttribute, type KeptDimension, keepDimension, textOf } from './dimensions.ts';
import { eventsStatements, eventTuples, eventValues } from './events.ts';
import { openSqlFact, ROWS, type SqlFact } from './fact.ts';
import { keepFact } from './keep.ts';
import { type SqlWorld, selectOf } from './select.ts';

type Run = Session['run'];

const sourceNamed = (model: Model, name: string): Source => model.sources.get(name) ?? { kind: 'given', name, numbers: 'plain' };

/** A database whose answers are counted, row by row. */
const counting = (database: Database): { readonly database: Database; readonly fetched: () => number } => {
  let count = 0;
  const begin: Database['begin'] = async (signal) => {
    const session = await database.begin(signal);
    return {
      end: session.end,
      run: async (statement, stop) => {
        const rows = await session.run(statement, stop);
        count += rows.count;
        return rows;
      },
    };
  };
  return { database: { ...database, begin }, fetched: () => count };
};

/** Opens a model over a database: everything is checked in one state of the data, and rows stay where they are. */
export const openSqlStore = async (model: Model, given: Database, options: OpenOptions): Promise<Store> => {
  const { database, fetched } = counting(given);
  const { dialect } = database;
  const relations = new Map<string, Relation>();
  const relationOf = async (name: string): Promise<Relation> => {
    const known = relations.get(name);
    if (known) return known;
    const source = sourceNamed(model, name);
    const relation = await database.relation(source).catch((error: unknown) => {
      throw error instanceof DurchblickError ? error.located(model.locate(['sources', name])) : error;
    });
    const found = { ...relation, columns: relation.columns.map((column) => ({ ...column, numbers: source.numbers })) };
    relations.set(name, found);
    return found;
  };
  const session = await database.begin();
  const facts = new Map<string, SqlFact>();
  const dimensions = new Map<string, Relation>();
  const dimensionRows = new Map<string, number>();
  const rawBounds = new Map<string, ReadonlyMap<string, Bounds | undefined>>();
  /** Rows of small dimensions, where nobody writes to them. */
  const kept = new Map<string, KeptDimension>();
  /** Roles in which no row had a blank date when the model was opened; good for as long as nobody writes. */
  const filled = new Map<string, ReadonlySet<string>>();
  try {
    for (const dimension of model.dimensions.values()) {
      if (dimension.source === undefined) continue;
      const relation = await relationOf(dimension.source);
      dimensions.set(dimension.name, relation);
      const count = await checkDimension(dimension, relation, model, database, session);
      dimensionRows.set(dimension.name, count);
      if (database.state === 'still' && count <= SMALL_DIMENSION)
        kept.set(dimension.name, await keepDimension(dimension, relation, dialect, session.run));
    }
    for (const fact of model.facts.values()) {
      const opened = await openSqlFact(fact, await relationOf(fact.source), model, dialect, session);
      facts.set(fact.name, database.keep && opened.relation.texts ? await keepFact(opened, database.keep, dialect) : opened);
    }
    for (const fact of facts.values()) {
      // Of revisions only the last ones count.
      const bounds = fact.versions ? await boundsOf(fact, [], undefined, worldOf(fact), session.run) : fact.bounds;
      rawBounds.set(fact.fact.name, bounds);
      if (database.state === 'still' && !fact.versions) filled.set(fact.fact.name, fact.filled);
    }
  } catch (error) {
    await session.end();
    await database.close();
    throw error;
  }
  await session.end();

  function worldOf(fact: SqlFact, members: ReadonlyMap<string, readonly string[]> = new Map()): SqlWorld {
    return {
      dialect,
      state: database.state,
      dimensions,
      members: (attribute) => members.get(attribute.key) ?? [],
      workingDays: options.workingDays,
      bounds: (role) => rawBounds.get(fact.fact.name)?.get(role),
    };
  }
  const opened = (fact: Fact): SqlFact => facts.get(fact.name) as SqlFact;
  const fixedOf = (fact: Fact): readonly Filter[] => options.fixed.get(fact.name) ?? [];

  /** The store as one session sees it. */
  const view = (run: Run): Omit<Store, 'close' | 'begin'> => {
    const known = new Map<string, Promise<readonly string[]>>();
    const members = (attribute: AttributeRef): Promise<readonly string[]> => once(known, attribute.key, () => findMembers(attribute));
    const findMembers = async (attribute: AttributeRef): Promise<readonly string[]> => {
      if (attribute.kind === 'band')
        return [...new Set([...model.facts.values()].flatMap((fact) => fact.bands.get(attribute.band)?.labels ?? []))];
      const relation = dimensions.get(attribute.dimension.name);
      const own = kept.get(attribute.dimension.name)?.get(attribute.attribute);
      if (own)
        return orderedMembers(own, attribute.dimension.attributes.get(attribute.attribute)?.order === undefined ? 'by-text' : 'ranked');
      if (relation) {
        const { column, order } = attribute.dimension.attributes.get(attribute.attribute) ?? { column: '', order: undefined };
        const text = textOf(dialect, relation, column, 'd');
        const rank = order === undefined ? 'null' : `d.${dialect.identifier(order)}`;
        const { count, columns } = await run({
          about: `members of ${attribute.key}`,
          sql: `select distinct ${text} as text, ${rank} as rank\nfrom ${relation.from} as d`,
        });
        const pairs = Array.from({ length: count }, (_, k) => [String(columns[0][k]), columns[1][k]] as const);
        return orderedMembers(pairs, order === undefined ? 'by-text' : 'ranked');
      }
      const texts: [string, null][] = [];
      for (const fact of facts.values()) {
        if (!fact.fact.links.some((link) => link.part === attribute.part)) continue;
        const select = selectOf(fact, worldOf(fact), undefined);
        const text = select.member(attribute);
        const conditions = fixedOf(fact.fact).map(select.condition);
        const { count, columns } = await run({
          about: `members of ${attribute.key} in ${fact.fact.name}`,
          sql: `select distinct ${text} as text\nfrom ${select.from()}${conditions.length > 0 ? `\nwhere ${conditions.join('\n  and ')}` : ''}`,
        });
        for (let k = 0; k < count; k++) texts.push([String(columns[0][k]), null]);
      }
      return orderedMembers(texts, 'by-text');
    };
    /** Members that filters between two ends choose from, fetched before a statement is written. */
    const worldFor = async (fact: SqlFact, filters: readonly Filter[]): Promise<SqlWorld> => {
      const needed = filters.flatMap((filter) =>
        filter.kind === 'members' && (filter.test.from !== undefined || filter.test.to !== undefined) ? [filter.attribute] : [],
      );
      const found = new Map<string, readonly string[]>();
      for (const attribute of needed) found.set(attribute.key, await members(attribute));
      return worldOf(fact, found);
    };
    const cube = async (request: CubeRequest, signal?: Cancellation) => {
      const fact = opened(request.fact);
      const fixed = { ...request, filters: [...fixedOf(request.fact), ...request.filters] };
      const world = await worldFor(fact, [...fixed.filters, ...request.aggregates.flatMap(({ where }) => where)]);
      const none = fixed.filters.some(
        (filter) => filter.kind === 'date' && filter.is === 'blank' && filled.get(request.fact.name)?.has(filter.role),
      );
      if (none || request.segments.starts.length === 0)
        return {
          segments: request.segments,
          tuples: [],
          columns: request.aggregates.map(() => ({ cells: new Float64Array(0), scale: 0 })),
        };
      const statement = cubeStatement(fixed, fact, world, (name) => dimensionRows.get(name) ?? 0);
      return statement.cube(await run(statement, signal));
    };
    return {
      engine: dialect.name,
      fetched,
      textDates: (fact) => {
        const { relation } = opened(fact);
        const isText = (name: string) => relation.columns.find((column) => column.name === name)?.kind === 'text';
        const ofDatabase = database.state === 'live' || ['table', 'query'].includes(sourceNamed(model, fact.source).kind);
        return !ofDatabase || fact.grain !== 'day'
          ? []
          : [...fact.roles.values()].filter(({ column }) => isText(column)).map(({ name }) => name);
      },
      notes: [...facts.values()].flatMap(({ notes }) => notes),
      rows: async (name, columns) => {
        const relation = await relationOf(name);
        for (const column of columns) {
          if (relation.columns.some((known) => known.name === column)) continue;
          throw new DurchblickError('unknown-column', `${relation.name} has no column "${column}"`, {
            hint: suggest(
              column,
              relation.columns.map((known) => known.name),
              'columns',
            ),
          });
        }
        const kinds = columns.map((column) => relation.columns.find((known) => known.name === column)?.kind);
        const raw = (column: string, k: number): string => {
          const sql = dialect.identifier(column);
          return kinds[k] === 'date' || kinds[k] === 'timestamp' ? dialect.toText(dialect.toDate(sql)) : sql;
        };
        const found = await run({ about: `rows of ${name}`, sql: `select ${columns.map(raw).join(', ')}\nfrom ${relation.from} as t` });
        return Array.from({ length: found.count }, (_, k) => Object.fromEntries(columns.map((column, c) => [column, found.columns[c][k]])));
      },
      holidays: (file, timeZone, first, last) => holidays(database, model, file, timeZone, first, last),
      bounds: async (fact, knownBy) => {
        const own = opened(fact);
        const fixed = fixedOf(fact);
        if (database.state === 'still' && fixed.length === 0 && !own.versions) return own.bounds;
        return boundsOf(own, fixed, knownBy, await worldFor(own, fixed), run);
      },
      members,
      combinations: async (dimension, attributes) => {
        const relation = dimensions.get(dimension.name);
        if (!relation || attributes.length === 0) return [];
        const own = kept.get(dimension.name);
        if (own) {
          const lists = attributes.map((name) => own.get(name) as KeptAttribute);
          const tuples = lists[0].map((_, row) => lists.map((list) => list[row][0]));
          return [...new Map(tuples.map((tuple) => [JSON.stringify(tuple), tuple])).values()];
        }
        const texts = attributes.map(
          (name, k) => `${textOf(dialect, relation, dimension.attributes.get(name)?.column ?? '', 'd')} as m${k}`,
        );
        const { count, columns } = await run({
          about: `combinations of ${attributes.join(', ')}`,
          sql: `select distinct ${texts.join(', ')}\nfrom ${relation.from} as d`,
        });
        return Array.from({ length: count }, (_, k) => columns.map((column) => String(column[k])));
      },
      lateRoles: async (fact) => {
        const own = opened(fact);
        const roles = [...fact.roles.keys()].filter((role) => role !== fact.enters);
        if (fact.enters === undefined || roles.length === 0) return [];
        if (database.state === 'still') return own.late;
        const late = roles.map((role) => `max(case when (${own.day(fact.enters as string)}) > (${own.day(role)}) then 1 else 0 end)`);
        const { columns } = await run({
          about: `dates of ${fact.name} before rows entered`,
          sql: `select ${late.join(', ')}\nfrom ${own.relation.from} as ${ROWS}`,
        });
        return roles.filter((_, k) => Number(columns[k][0]) === 1);
      },
      cubes: async (requests, signal) => {
        const cubes = [];
        for (const request of requests) cubes.push(await cube(request, signal));
        return cubes;
      },
      sample: async ({ fact: of, role, filters, knownBy, first, last, openAt, limit }, signal) => {
        const fact = opened(of);
        const all = [...fixedOf(of), ...filters];
        const select = selectOf(fact, await worldFor(fact, all), knownBy);
        const gone = openAt ? [`coalesce((${fact.day(openAt.until)}) > ${Math.min(openAt.day, openAt.asOf)}, true)`] : [];
        const conditions = [`(${fact.day(role)}) between ${first} and ${last}`, ...all.map(select.condition), ...gone];
        const columns = fact.relation.columns.map((column) => {
          const raw = `${ROWS}.${dialect.identifier(column.name)}`;
          return column.kind === 'date' || column.kind === 'timestamp' || column.kind === 'instant' ? dialect.toText(raw) : raw;
        });
        const found = await run(
          {
            about: `the first rows of ${of.name} by ${role} day`,
            sql: `select ${columns.join(', ')}\nfrom ${select.from()}\nwhere ${conditions.join('\n  and ')}\norder by ${fact.day(role)}\nlimit ${limit}`,
          },
          signal,
        );
        const value = (raw: unknown, { kind }: SqlColumn): string | number | null => {
          if (raw === null || raw === undefined || raw === '') return null;
          return typeof raw === 'number' || kind === 'integer' || kind === 'decimal' || kind === 'double' ? Number(raw) : String(raw);
        };
        return {
          columns: fact.relation.columns.map(({ name }) => name),
          first: Array.from({ length: found.count }, (_, row) =>
            found.columns.map((column, k) => value(column[row], fact.relation.columns[k])),
          ),
        };
      },
      events: async (request, signal) => {
        const { segments, windows, where, count, attributes } = request;
        const fact = opened(request.fact);
        const fixed: EventsRequest = { ...request, filters: [...fixedOf(request.fact), ...request.filters] };
        const world = await worldFor(fact, [...fixed.filters, ...where]);
        const found = new Map<number, Rows>();
        if (segments.starts.length > 0)
          for (const { window, ...statement } of eventsStatements(fixed, fact, world)) found.set(window, await run(statement, signal));
        const valuesFor = (tuples: Events['tuples']): Float64Array[] =>
          windows.map(({ from }, window) => {
            const rows = found.get(window);
            return rows ? eventValues(rows, from.length, tuples) : new Float64Array(0);
          });
        // Where no key is blank, a row stands behind a window exactly where a key was counted.
        if (database.state === 'still' && count.kind === 'distinct' && where.length === 0 && fact.fullKeys.has(count.column)) {
          const tuples = eventTuples([...found.values()], attributes.length);
          const values = valuesFor(tuples);
          return { tuples, values, seen: values.map((list) => Uint8Array.from(list, (value) => (value > 0 ? 1 : 0))), scale: 0 };
        }
        const rows = await cube({ ...request, aggregates: [{ kind: 'rows', where }] }, signal);
        return {
          tuples: rows.tuples,
          values: valuesFor(rows.tuples),
          seen: seenIn(request, rows.tuples.length, rows.columns[0].cells),
          scale: scaleOf(request, fact),
        };
      },
    };
  };

  if (database.state === 'still') {
    const kept = await database.begin();
    return {
      ...view(kept.run),
      reads: 'asked',
      close: async () => {
        await kept.end();
        await database.close();
      },
    };
  }
  /** Outside a question every statement has a session of its own. */
  const alone: Run = async (statement: Statement, signal?: Cancellation): Promise<Rows> => {
    const own = await database.begin(signal);
    try {
      return await own.run(statement, signal);
    } finally {
      await own.end();
    }
  };
  return {
    ...view(alone),
    reads: 'asked',
    close: database.close,
    begin: async (signal) => {
      const own = await database.begin(signal);
      return { ...view(own.run), reads: 'asked', close: own.end };
    },
  };
};

const scaleOf = ({ count }: EventsRequest, fact: SqlFact): number =>
  count.kind === 'latest' && count.value?.kind === 'column' ? fact.number(count.value.column).scale : 0;

/** Where rows stand behind an anchor's window. */
const seenIn = ({ segments, windows }: EventsRequest, width: number, cells: Float64Array): Events['seen'] => {
  const lookup = prefixSums(cells, width);
  const first = new Map(Array.from(segments.starts, (start, s) => [start, s]));
  const last = new Map(Array.from(segments.ends, (end, s) => [end, s]));
  return windows.map(({ from, to }) => {
    const behind = new Float64Array(from.length * width);
    from.forEach((start, a) => {
      lookup.run(first.get(start) as number, last.get(to[a]) as number, behind, a * width);
    });
    return Uint8Array.from(behind, (count) => (count > 0 ? 1 : 0));
  });
};

/** First and last day of every role, before question filters (W11). */
const boundsOf = async (
  fact: SqlFact,
  filters: readonly Filter[],
  knownBy: number | undefined,
  world: SqlWorld,
  run: Run,
): Promise<ReadonlyMap<string, Bounds | undefined>> => {
  const select = selectOf(fact, world, knownBy);
  const conditions = filters.map(select.condition);
  const roles = [...fact.fact.roles.keys()];
  const { columns } = await run({
    about: `first and last days of ${fact.fact.name}`,
    sql: `select ${roles.map((role) => `min(${fact.day(role)}), max(${fact.day(role)})`).join(',\n  ')}
from ${select.from()}${conditions.length > 0 ? `\nwhere ${conditions.join('\n  and ')}` : ''}`,
  });
  const bounds = roles.map((role, k) => {
    const [first, last] = [columns[2 * k][0], columns[2 * k + 1][0]];
    return [role, first === null || first === undefined ? undefined : { first: Number(first), last: Number(last) }] as const;
  });
  return new Map(bounds);
};

const holidays = async (
  database: Database,
  model: Model,
  file: string,
  timeZone: string,
  first: number,
  last: number,
): Promise<readonly Holiday[]> => {
  const place = model.locate(['calendar', 'workingDays', 'holidays']);
  if (!database.file)
    throw new DurchblickError('no-files', `the holidays are in ${file}, but the engine was given no files`, {
      place,
      hint: 'Pass `files`, or list the holidays in the model.',
    });
  const bytes = await database.file(file).catch(() => {
    throw new DurchblickError('no-file', `cannot read ${file}`, { place, hint: 'Paths are relative to the model file.' });
  });
  return readHolidays(new TextDecoder().decode(bytes), file, timeZone, first, last);
};
