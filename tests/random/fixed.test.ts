import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { type Book, type DurchblickError, defineModel, type Engine, type Model, open, type Question } from '../../src/index.ts';
import { connectPostgres, loadTables, type Tables } from '../setup/builders.ts';
import { assertDraws } from '../setup/draws.ts';
import { duckdb, memory, postgres, type TableInput } from '../setup/library.ts';
import { type Data, data, PRODUCTS, question, REGIONS, worldOf } from './world.ts';

const server = await connectPostgres();

const clock = () => Date.parse('2025-07-01T12:00:00Z');

type Fixed = Readonly<Record<string, readonly string[]>>;
const FIXED: readonly Fixed[] = [
  { region: ['North'] },
  { region: ['South', 'Alps'] },
  { country: ['Austria'] },
  { family: ['Herbs'] },
  { family: ['Trees'], region: ['North', 'South'] },
];

/** The tables without the rows that a filter hides: what a careful person would hand over instead of filtering. */
const removed = (tables: Tables, fixed: Fixed): Readonly<Record<string, TableInput>> => {
  const of = (members: Readonly<Record<string, unknown>> | undefined, names: readonly string[]): boolean =>
    names.every((name) => fixed[name] === undefined || (members !== undefined && fixed[name].includes(String(members[name]))));
  const region = (id: unknown) => REGIONS[String(id)];
  const product = (id: unknown) => PRODUCTS[String(id)];
  const [places, things] = [
    ['region', 'country'],
    ['product', 'family'],
  ];
  const kept: Tables = {
    sales: tables.sales.filter((row) => of(region(row.region), places) && of(product(row.product), things)),
    budget: tables.budget.filter((row) => of(region(row.region), places) && of(row, ['family'])),
    stock: tables.stock.filter((row) => of(product(row.product), things)),
    regions: tables.regions.filter((row) => of(row, places)),
    products: tables.products.filter((row) => of(row, things)),
    customers: tables.customers,
    fx: tables.fx,
    steps: tables.steps,
  };
  // Where no row is left, there are columns still.
  const columns = ([first]: Tables[string]): TableInput => Object.fromEntries(Object.keys(first).map((name) => [name, []]));
  return Object.fromEntries(Object.entries(kept).map(([name, rows]) => [name, rows.length > 0 ? rows : columns(tables[name])]));
};

/** Members that rows of facts reference. */
const namedMembers = ({ sales, budget, stock }: Tables): Readonly<Record<string, ReadonlySet<string>>> => {
  const rowsOf = (table: Tables[string] | Record<string, readonly unknown[]>) => (Array.isArray(table) ? (table as Tables[string]) : []);
  const places = [...rowsOf(sales), ...rowsOf(budget)].flatMap(({ region }) => REGIONS[String(region)] ?? []);
  const products = [...rowsOf(sales), ...rowsOf(stock)].flatMap(({ product }) => PRODUCTS[String(product)] ?? []);
  return {
    region: new Set(places.map(({ region }) => region)),
    country: new Set(places.map(({ country }) => country)),
    product: new Set(products.map(({ product }) => product)),
    family: new Set([...products.map(({ family }) => family), ...rowsOf(budget).map(({ family }) => String(family))]),
  };
};

const outcomeOf = async (call: () => unknown): Promise<unknown> => {
  try {
    return JSON.parse(JSON.stringify((await call()) ?? null));
  } catch (error) {
    const { code, message, hint } = error as DurchblickError;
    if (!code) throw error;
    return { code, message, hint };
  }
};

/** Everything that a book says, whatever it is asked. */
const everything = async (book: Book, asked: readonly Question[]): Promise<Record<string, unknown>> => {
  const found: Record<string, unknown> = {};
  for (const name of ['region', 'country', 'product', 'family', 'channel', 'size']) {
    found[`members ${name}`] = await outcomeOf(() => book.members(name));
    found[`misspelt ${name}`] = await outcomeOf(() => book.ask({ show: ['revenue'], where: { [name]: 'Sout' } }));
    found[`between ${name}`] = await outcomeOf(async () =>
      (await book.ask({ show: ['revenue', 'lines'], where: { [name]: { from: 'B', to: 'O' } } })).toJson(),
    );
  }
  for (const [fact, roles] of Object.entries({ sales: ['ordered', 'promised', 'shipped'], budget: ['planned'], stock: ['counted'] }))
    for (const role of roles) found[`bounds ${fact} ${role}`] = await outcomeOf(() => book.bounds(fact, role));
  // Column types of a database are not reported for tables in memory.
  found.check = await outcomeOf(async () => (await book.check()).filter(({ code }) => code !== 'text-dates'));
  found.notes = await outcomeOf(() => book.dataNotes);
  found.asOf = await outcomeOf(() => book.asOf());
  found.range = await outcomeOf(() => book.range('ytd'));
  found.windows = await outcomeOf(() => book.windows({ only: ['ytd', 'previous', 'january'] }));
  found.alerts = await outcomeOf(() => book.alerts());
  found.calendar = await outcomeOf(async () => {
    const { first, last } = await book.calendar();
    return [first, last];
  });
  for (const [k, one] of asked.entries()) {
    found[`ask ${k}`] = await outcomeOf(async () => (await book.ask(one)).toJson());
    found[`texts ${k}`] = await outcomeOf(async () => (await book.ask(one)).toMarkdown());
    const [reading] = one.show as readonly string[];
    const per = one.per ?? [];
    const members = Object.fromEntries(
      per.map((name) => [
        name,
        { region: 'South', country: 'Germany', family: 'Herbs', product: 'Mint', channel: 'web', size: 'large' }[name] as string,
      ]),
    );
    // Rows of one day have no order in a database.
    found[`why ${k}`] = await outcomeOf(async () =>
      JSON.parse(
        JSON.stringify(await book.explain({ reading, at: '2024-06', by: 'month', members }), (key, value) =>
          key === 'first' && Array.isArray(value) ? value.map(([day]: readonly unknown[]) => day) : value,
        ),
      ),
    );
    found[`verified ${k}`] = await outcomeOf(async () => (await book.verify(one)).different);
  }
  return found;
};

const MODEL_ALERTS = { low: { reading: 'revenue', below: 50, by: 'month', per: ['region'] } };

const crawled = async (drawn: Data, fixed: Fixed, asked: readonly Question[], engine: (tables: Tables) => Engine): Promise<void> => {
  const { world, tables } = worldOf(drawn);
  const model = defineModel({ ...world.model.input, alerts: MODEL_ALERTS } as never) as unknown as Model;
  const book = await open(model, engine(tables), { where: fixed, clock });
  const wanted = await open(model, memory(removed(tables, fixed)), { clock });
  try {
    const [found, right] = [await everything(book, asked), await everything(wanted, asked)];
    // Members without visible rows are neither listed nor suggested.
    const named = namedMembers(removed(tables, fixed) as Tables);
    for (const [attribute, members] of Object.entries(named)) {
      const listed = (right[`members ${attribute}`] as readonly string[]).filter((text) => members.has(text));
      right[`members ${attribute}`] = listed;
      delete right[`misspelt ${attribute}`];
      const hidden = Object.values(attribute in PRODUCTS.p1 ? PRODUCTS : REGIONS).map((row) => (row as Record<string, string>)[attribute]);
      const said = JSON.stringify(found[`misspelt ${attribute}`]);
      for (const text of hidden) if (!members.has(text)) expect(said).not.toContain(text);
    }
    for (const [call, value] of Object.entries(right)) {
      const { code, message = '' } = (found[call] ?? {}) as { code?: string; message?: string };
      const [, attribute, text] = /^(\S+) has no member "(.*)"$/.exec(message) ?? [];
      if (code === 'unknown-member' && !named[attribute]?.has(text)) continue;
      expect(found[call], `${call} under ${JSON.stringify(fixed)}: ${JSON.stringify(asked)}`).toEqual(value);
    }
  } finally {
    await book.close();
    await wanted.close();
  }
};

const fixedFilters = fc.constantFrom(...FIXED);
const questions = fc.array(question, { minLength: 3, maxLength: 3 });
/** Rows that some filter leaves: without any there is nothing to say. */
const drawnData = data.map((drawn) => ({ ...drawn, fixed: {} }));

describe('V3: what a fixed filter hides is as if it were not there, in every call', () => {
  test('memory', async () => {
    await assertDraws(
      fc.asyncProperty(drawnData, fixedFilters, questions, (drawn, fixed, asked) =>
        crawled(drawn, fixed, asked, (tables) => memory(tables)),
      ),
      { few: 6, many: 80 },
    );
  }, 600_000);

  test('duckdb', async () => {
    await assertDraws(
      fc.asyncProperty(drawnData, fixedFilters, questions, (drawn, fixed, asked) =>
        crawled(drawn, fixed, asked, (tables) => duckdb({ tables, threads: 1 })),
      ),
      { few: 3, many: 25 },
    );
  }, 600_000);

  test('postgres', async () => {
    let schemas = 0;
    await assertDraws(
      fc.asyncProperty(drawnData, fixedFilters, questions, async (drawn, fixed, asked) => {
        const loaded = await loadTables(server.client, `fixed${schemas++}`, worldOf(drawn).tables);
        try {
          await crawled(drawn, fixed, asked, () => postgres({ connectionString: server.url + loaded.options }));
        } finally {
          await loaded.drop();
        }
      }),
      { few: 3, many: 20 },
    );
  }, 600_000);
});
