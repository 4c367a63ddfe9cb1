import { mkdirSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { addMonths, civilOf, type Day, dayOf, isoOf, parseIsoDay, weekdayOf } from '../src/calendar/day.ts';

/**
 * Makes the data of Grünhof, a chain of plant nurseries that does not exist. Always the same: one fixed seed.
 * Run with `npm run demo-data`; the output is committed.
 */
const FIRST = parseIsoDay('2023-01-02') as Day;
const LAST = parseIsoDay('2026-05-20') as Day;
const folder = fileURLToPath(new URL('data/', import.meta.url));

let state = 37;
const random = (): number => {
  state = (state + 0x6d2b79f5) | 0;
  let t = Math.imul(state ^ (state >>> 15), 1 | state);
  t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
  return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
};
const between = (low: number, high: number): number => low + Math.floor(random() * (high - low + 1));
const pick = (weights: readonly number[]): number => {
  let left = random() * weights.reduce((sum, weight) => sum + weight, 0);
  return Math.max(
    0,
    weights.findIndex((weight) => (left -= weight) < 0),
  );
};

const REGIONS = [
  ['1', 'North', 'Germany', 1.2],
  ['2', 'East', 'Germany', 0.8],
  ['3', 'South', 'Germany', 1.4],
  ['4', 'West', 'Germany', 1.6],
  ['5', 'Alps', 'Austria', 0.7],
] as const;

/** Families with the strength of each month of the year, and products with their prices. */
const FAMILIES: [string, number[], [string, number][]][] = [
  [
    'Bulbs',
    [2, 3, 4, 2, 1, 1, 1, 3, 9, 10, 6, 2],
    [
      ['Crocus mix', 4.9],
      ['Tulip Elba', 6.5],
      ['Daffodil Luna', 5.9],
      ['Allium Duo', 8.2],
      ['Lily Aurora', 9.4],
    ],
  ],
  [
    'Perennials',
    [1, 2, 6, 9, 10, 6, 4, 3, 6, 4, 1, 1],
    [
      ['Lavender Sol', 5.5],
      ['Salvia Nox', 6.9],
      ['Aster Brand', 6.2],
      ['Hosta Moor', 8.9],
      ['Phlox Kant', 7.4],
    ],
  ],
  [
    'Shrubs',
    [1, 2, 6, 8, 7, 4, 2, 3, 7, 8, 4, 1],
    [
      ['Hydrangea Wolke', 18.9],
      ['Forsythia Gelb', 14.5],
      ['Lilac Abend', 22.9],
      ['Boxwood Kugel', 27.5],
      ['Currant Rubin', 12.9],
    ],
  ],
  [
    'Trees',
    [1, 2, 5, 6, 4, 2, 1, 2, 6, 9, 7, 2],
    [
      ['Apple Hofglueck', 39.9],
      ['Pear Helene', 42.5],
      ['Birch Silber', 54.0],
      ['Maple Glut', 79.0],
      ['Cherry Mai', 46.5],
    ],
  ],
  [
    'Herbs',
    [1, 2, 5, 9, 10, 8, 6, 4, 3, 1, 1, 1],
    [
      ['Basil', 2.9],
      ['Thyme', 3.2],
      ['Rosemary', 4.5],
      ['Mint', 2.95],
      ['Sage', 3.4],
    ],
  ],
  [
    'Houseplants',
    [7, 6, 5, 4, 4, 3, 3, 4, 5, 6, 8, 12],
    [
      ['Fern Grotto', 12.5],
      ['Ficus Atrium', 29.9],
      ['Orchid Weiss', 19.9],
      ['Cactus Trio', 9.9],
      ['Palm Kanzlei', 34.5],
    ],
  ],
];
const PRODUCTS = FAMILIES.flatMap(([family, , list]) => list.map(([name, price]) => ({ family, name, price })));
const CHANNELS = ['shop', 'web', 'phone'] as const;
/** Monday to Sunday. */
const WEEKDAY = [0.9, 0.85, 0.9, 1, 1.25, 1.7, 0.4];

const years = (day: Day): number => (day - FIRST) / 365.25;
const growth = (day: Day): number => 1.07 ** years(day);
const write = (name: string, header: string, rows: readonly string[]): void =>
  writeFileSync(`${folder}${name}`, `${[header, ...rows].join('\n')}\n`);

mkdirSync(folder, { recursive: true });
write(
  'regions.csv',
  'region_id,name,country,sort',
  REGIONS.map(([id, name, country], i) => [id, name, country, i + 1].join()),
);
write(
  'products.csv',
  'product_id,name,family,list_price',
  PRODUCTS.map(({ family, name, price }, i) => [i + 1, name, family, price.toFixed(2)].join()),
);

// Order lines: several an order; promised a few days ahead; shipped later, or not yet; some sent back.
const lines: string[] = [];
let order = 10000;
for (let day = FIRST; day <= LAST; day++) {
  const { month } = civilOf(day);
  const season = FAMILIES.reduce((sum, [, months]) => sum + months[month - 1], 0) / 24;
  const orders = Math.round(6.2 * growth(day) * WEEKDAY[weekdayOf(day)] * season * (0.75 + random() * 0.5));
  for (let k = 0; k < orders; k++) {
    order++;
    const region = pick(REGIONS.map(([, , , weight]) => weight));
    const channel = CHANNELS[pick([5, 3 + years(day), 1])];
    const shipRegion = channel === 'web' && random() < 0.15 ? between(0, 4) : region;
    // Faithful customers have low numbers.
    const customer = 1 + Math.floor(2400 * random() ** 2.2);
    // Some plants are ordered for a date weeks ahead.
    const ahead = random() < 0.06 ? between(25, 90) : 0;
    const promised = day + ahead + (channel === 'shop' ? between(1, 4) : between(3, 21));
    const late = random() < 0.12 ? between(1, 12) : -between(0, 2);
    const shipped = Math.max(day, promised + late);
    for (let line = between(1, 4) > 2 ? between(1, 4) : 1; line > 0; line--) {
      const family = pick(FAMILIES.map(([, months]) => months[month - 1]));
      const product = family * 5 + pick([5, 4, 3, 2, 2]);
      const refund = random() < 0.018;
      const quantity = (refund ? -1 : 1) * between(1, PRODUCTS[product].price < 10 ? 44 : 8);
      const price = Math.round(PRODUCTS[product].price * (1 + 0.03 * Math.floor(years(day))) * 100) / 100;
      const discount = !refund && random() < 0.15 ? (Math.round(quantity * price * 10) / 100).toFixed(2) : '0';
      const cancelled = random() < 0.004;
      lines.push(
        [
          order,
          customer,
          product + 1,
          REGIONS[region][0],
          REGIONS[shipRegion][0],
          channel,
          isoOf(day),
          isoOf(promised).replaceAll('-', ''),
          cancelled || shipped > LAST ? '' : isoOf(shipped),
          quantity,
          price.toFixed(2),
          discount,
        ].join(),
      );
    }
  }
}
// Blemishes for `check` to find: a product nobody knows, one line without a region.
const spoil = (at: number, column: number, value: string): void => {
  const cells = lines[at].split(',');
  cells[column] = value;
  lines[at] = cells.join();
};
for (const at of [700, 7000, 13000]) spoil(at, 2, '99');
spoil(10000, 3, '');
write(
  'order_lines.csv',
  'order_id,customer_id,product_id,region_id,ship_region_id,channel,ordered_on,promised_on,shipped_on,quantity,unit_price,discount',
  lines,
);

// Budgets by month, region and family: planned in November, revised at the end of February for the rest of the year.
const budget: string[] = [];
for (let year = 2023; year <= 2026; year++) {
  for (let month = 1; month <= 12; month++) {
    REGIONS.forEach(([id, , , weight]) => {
      for (const [family, months, list] of FAMILIES) {
        const price = list.reduce((sum, [, value]) => sum + value, 0) / list.length;
        const level = weight * months[month - 1] * (price < 10 ? price * 11 : price * 2.4) * growth(dayOf(year, month, 15)) * 4.2;
        const amount = (factor: number) => String(Math.round((level * factor * (0.92 + random() * 0.16)) / 10) * 10);
        const label = `${year}-${String(month).padStart(2, '0')}`;
        budget.push([label, id, family, amount(1), `${year - 1}-11-20`].join());
        if (month >= 3) budget.push([label, id, family, amount(1.04), `${year}-02-27`].join());
      }
    });
  }
}
write('budget.csv', 'month,region_id,family,amount,loaded_on', budget);

// Daily stock since October 2025, counted on working days mostly; some days were forgotten.
const stock: string[] = [];
const levels = PRODUCTS.map(({ price }) => Math.round(2400 / Math.sqrt(price)));
for (let day = parseIsoDay('2025-10-01') as Day; day <= LAST; day++) {
  const counted = weekdayOf(day) !== 6 && random() > 0.03;
  PRODUCTS.forEach((_, i) => {
    levels[i] = Math.max(0, levels[i] - between(0, 9));
    if (levels[i] < 120) levels[i] += between(300, 700);
    if (counted && random() > 0.01) stock.push([i + 1, isoOf(day).replaceAll('-', ''), levels[i]].join());
  });
}
write('stock.csv', 'product_id,counted_on,quantity', stock);

const seasons: string[] = [];
for (let year = 2023; year <= 2027; year++)
  seasons.push(`Spring ${year},${year}-02-20,${year}-05-31`, `Autumn ${year},${year}-09-01,${year}-11-15`);
write('seasons.csv', 'name,starts_on,ends_on', seasons);

// Public holidays of Lower Saxony. Those on fixed dates recur; those around Easter stand for each year.
const EASTER = ['2022-04-17', '2023-04-09', '2024-03-31', '2025-04-20', '2026-04-05', '2027-03-28', '2028-04-16'].map(
  (text) => parseIsoDay(text) as Day,
);
const compact = (day: Day): string => isoOf(day).replaceAll('-', '');
const events: string[] = [];
const event = (uid: string, title: string, day: Day, rule?: string): void => {
  const recurs = rule ? [`RRULE:${rule}`] : [];
  events.push(
    'BEGIN:VEVENT',
    `UID:${uid}@gruenhof.example`,
    'DTSTAMP:20220101T000000Z',
    `SUMMARY:${title}`,
    `DTSTART;VALUE=DATE:${compact(day)}`,
    ...recurs,
    'END:VEVENT',
  );
};
event('new-year', "New Year's Day", dayOf(2020, 1, 1), 'FREQ=YEARLY');
event('labour-day', 'Labour Day', dayOf(2020, 5, 1), 'FREQ=YEARLY');
event('unity-day', 'German Unity Day', dayOf(2020, 10, 3), 'FREQ=YEARLY');
event('reformation-day', 'Reformation Day', dayOf(2020, 10, 31), 'FREQ=YEARLY');
events.push(
  'BEGIN:VEVENT',
  'UID:christmas@gruenhof.example',
  'DTSTAMP:20220101T000000Z',
  'SUMMARY:Christmas',
  'DTSTART;VALUE=DATE:20201225',
  'DTEND;VALUE=DATE:20201227',
  'RRULE:FREQ=YEARLY',
  'END:VEVENT',
);
for (const easter of EASTER) {
  const { year } = civilOf(easter);
  for (const [title, offset] of [
    ['Good Friday', -2],
    ['Easter Monday', 1],
    ['Ascension Day', 39],
    ['Whit Monday', 50],
  ] as const) {
    event(`${title.toLowerCase().replaceAll(' ', '-')}-${year}`, title, easter + offset);
  }
}
writeFileSync(
  `${folder}holidays.ics`,
  `${['BEGIN:VCALENDAR', 'VERSION:2.0', 'PRODID:-//Gruenhof//Holidays//EN', ...events, 'END:VCALENDAR'].join('\r\n')}\r\n`,
);
// Customers and the segments that they were in: some of them move up as they buy more.
state = 7;
const customers: string[] = [];
const SEGMENTS = ['garden', 'regular', 'trade'];
const lastCustomer = lines.reduce((most, line) => Math.max(most, Number(line.split(',')[1])), 0);
for (let id = 1; id <= lastCustomer; id++) {
  let at = pick([8, 3, 1]);
  let from = '';
  while (at < 2 && random() < 0.3) {
    const until = isoOf(between(FIRST + 60, LAST - 30));
    if (until <= from) break;
    customers.push([id, SEGMENTS[at++], from, until].join());
    from = until;
  }
  customers.push([id, SEGMENTS[at], from, ''].join());
}
write('customers.csv', 'customer_id,segment,valid_from,valid_until', customers);

// A market stall beyond the border, which takes francs and now and then euros.
state = 11;
const market: string[] = [];
for (let day = FIRST; day <= LAST; day++) {
  if (![2, 5].includes(weekdayOf(day))) continue;
  const { month } = civilOf(day);
  const season = [2, 3, 6, 9, 9, 6, 4, 4, 7, 8, 4, 2][month - 1];
  market.push([isoOf(day), 'CHF', (season * between(30, 60) * (0.8 + random() * 0.4)).toFixed(2)].join());
  if (random() < 0.3) market.push([isoOf(day), 'EUR', (season * between(2, 9)).toFixed(2)].join());
}
write('market_sales.csv', 'sold_on,currency,net', market);
const rates: string[] = [];
for (let month = 0, franc = 1.01; month < 41; month++) {
  const label = `${2023 + Math.floor(month / 12)}-${String((month % 12) + 1).padStart(2, '0')}`;
  rates.push(`${label},EUR,1`, `${label},CHF,${franc.toFixed(4)}`);
  franc = Math.min(1.12, Math.max(0.99, franc + (random() - 0.45) * 0.012));
}
write('exchange_rates.csv', 'month,currency,to_euro', rates);
process.stdout.write(
  `${lines.length} order lines, ${budget.length} budget rows, ${stock.length} stock rows, last day ${isoOf(LAST)}, next month ${isoOf(addMonths(LAST, 1))}\n`,
);
