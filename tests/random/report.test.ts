// What a report holds answers every question that it offers as the rows would, to the byte (R3, V6).

import fc from 'fast-check';
import pg from 'pg';
import { expect, inject, test } from 'vitest';
import {
  type Book,
  type DurchblickError,
  defineModel,
  type Engine,
  type Model,
  type ModelInput,
  open,
  type Question,
} from '../../src/index.ts';
import { type Choices, chosen } from '../../src/report/choices.ts';
import type { ReportData, ReportQuestion } from '../../src/report/data.ts';
import { reportData } from '../../src/report/make.ts';
import { reportEngine } from '../../src/report/store.ts';
import { bytes, loadTables, same } from '../setup/builders.ts';
import { assertDraws } from '../setup/draws.ts';
import { duckdb, memory, postgres } from '../setup/library.ts';
import { type Data, data, question, worldOf } from './world.ts';

const clock = () => Date.parse('2025-07-01T12:00:00Z');
/** Some ways in which a question may be switched, one or two things at a time. */
const waysOf = ({ question: own, offers }: ReportQuestion): readonly Choices[] => {
  const some = <T>(list: readonly T[]): readonly T[] => [list[0], list[Math.floor(list.length / 2)]].filter((one) => one !== undefined);
  const units = some(offers.units).map((by): Choices => ({ by }));
  const windows = some(offers.windows).map((over): Choices => ({ over }));
  const against = some(offers.comparisons).map((vs): Choices => ({ vs }));
  const members = Object.entries(offers.filters)
    .filter(([name]) => own.where?.[name] === undefined)
    .flatMap(([name, list]): Choices[] => [{ where: { [name]: list.slice(0, 1) } }, { where: { [name]: list.slice(-2) } }]);
  const days =
    'first' in offers.asOf
      ? [offers.asOf.last, '2025-01-31'].filter(
          (day) => day >= (offers.asOf as { first: string }).first && day <= (offers.asOf as { last: string }).last,
        )
      : offers.asOf.slice(0, 3);
  const asOf = days.map((day): Choices => ({ asOf: day }));
  return [
    {},
    ...units,
    ...windows,
    ...against,
    ...members,
    ...asOf,
    ...members.slice(0, 1).map((own) => ({ ...own, ...against[0], ...units[1] })),
  ];
};

let questions = 0;
/** Makes a report over rows of an engine and holds it to the rows themselves; what a question cannot be is not offered. */
const holds = async (drawn: Data, asked: Question, engine: () => Engine): Promise<void> => {
  const { world, tables } = worldOf(drawn);
  const model = defineModel({ ...(world.model.input as ModelInput), questions: { drawn: asked } } as never) as unknown as Model;
  const fixed = Object.keys(drawn.fixed).length > 0 ? { where: drawn.fixed } : {};
  let made: ReportData;
  try {
    made = await reportData(model, engine(), { questions: ['drawn'], filters: ['region', 'family'], clock, ...(fixed as object) });
  } catch (error) {
    expect((error as DurchblickError).code, String((error as Error).stack)).toBeDefined();
    return;
  }
  const travelled = JSON.parse(JSON.stringify(made)) as ReportData;
  const kept = (await open(defineModel(travelled.model as never), reportEngine(travelled), { clock })) as unknown as Book;
  const real = (await open(model, memory(tables), { clock, ...fixed } as never)) as unknown as Book;
  for (const own of travelled.questions)
    for (const choices of waysOf(own)) {
      const next = chosen(own.question, choices);
      same(await bytes(kept, next), await bytes(real, next), [choices, next]);
      questions++;
    }
  await kept.close();
  await real.close();
};

test('over rows in memory', async () => {
  await assertDraws(
    fc.asyncProperty(data, question, (drawn, asked) => holds(drawn, asked, () => memory(worldOf(drawn).tables))),
    { few: 3, many: 30 },
  );
  expect(questions).toBeGreaterThan(20);
}, 600_000);

test('over DuckDB', async () => {
  await assertDraws(
    fc.asyncProperty(data, question, (drawn, asked) => holds(drawn, asked, () => duckdb({ tables: worldOf(drawn).tables, threads: 1 }))),
    { few: 1, many: 12 },
  );
}, 600_000);

test('over PostgreSQL, in one state of its data', async () => {
  const url = inject('postgres');
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  let schemas = 0;
  await assertDraws(
    fc.asyncProperty(data, question, async (drawn, asked) => {
      const loaded = await loadTables(client, `report${schemas++}`, worldOf(drawn).tables, false);
      try {
        await holds(drawn, asked, () => postgres({ connectionString: url + loaded.options }));
      } finally {
        await loaded.drop();
      }
    }),
    { few: 1, many: 12 },
  );
  await client.end();
}, 600_000);
