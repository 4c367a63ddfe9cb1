import { appendFileSync, cpSync, readFileSync, writeFileSync } from 'node:fs';
import { request } from 'node:http';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import type { Result } from '../../src/index.ts';
import { RESULT_FORMS } from '../../src/serve/formats.ts';
import { openPage, serious } from '../setup/browser.ts';
import { durchblick, makeFolder, ROOT } from '../setup/builders.ts';
import { assertDraws } from '../setup/draws.ts';
import { type ServedProcess, serving } from '../setup/served.ts';

const QUESTION = ['revenue', 'revenue vs year-earlier as change'];
const PATH = '/models/gruenhof/ask?show=revenue&show=revenue+vs+year-earlier+as+change&by=month&per=region&range=ytd&totals=members';
const OPTIONS = ['--by', 'month', '--per', 'region', '--range', 'ytd', '--totals', 'members'];

/** The demo in a folder of its own, whose data may be changed. */
const demoCopy = (): string => {
  const folder = join(makeFolder(), 'gruenhof');
  cpSync(join(ROOT, 'demo'), folder, { recursive: true, filter: (path) => !path.endsWith('generate.ts') });
  return folder;
};

/** A model that opens at once. */
const small = makeFolder({
  'small.yaml': 'sources: { s: { file: s.csv } }\nfacts: { s: { source: s, dates: { on: day }, measures: { n: { sum: n } } } }\n',
  's.csv': 'day,n\n2026-01-05,1\n',
});
const SMALL = join(small, 'small.yaml');

let folder: string;
let server: ServedProcess;
beforeAll(async () => {
  folder = demoCopy();
  server = await serving(folder);
});
afterAll(async () => {
  expect(await server.stop()).toBe(0);
});

const problem = async (response: Response) => {
  expect(response.headers.get('content-type')).toContain('application/problem+json');
  expect(response.headers.get('etag')).toBeNull();
  const found = await response.json();
  expect(found.status).toBe(response.status);
  return found;
};

test.each([
  ['csv', 'text/csv'],
  ['json', 'application/json'],
  ['ndjson', 'application/x-ndjson'],
  ['markdown', 'text/markdown'],
])('R3: %s has the bytes of the command line, by parameter and by Accept', async (format, type) => {
  const { stdout } = durchblick('ask', folder, ...QUESTION, ...OPTIONS, '--format', format, '--quiet');
  const byName = await server.get(`${PATH}&format=${format}`);
  expect([byName.status, byName.headers.get('content-type')?.split(';')[0], await byName.text()]).toEqual([200, type, stdout]);
  expect(await (await server.get(PATH, { accept: type })).text()).toBe(stdout);
});

test.each([
  ['parquet', 'PAR1'],
  ['png', '\u0089PNG'],
  ['svg', '<svg'],
  ['arrow', '\u00ff\u00ff\u00ff\u00ff'],
])('%s is what it says', async (format, magic) => {
  const response = await server.get(`${PATH}&format=${format}`);
  expect(response.status).toBe(200);
  expect(
    Buffer.from(await response.arrayBuffer())
      .toString('latin1')
      .slice(0, magic.length),
  ).toBe(magic);
});

test('a question sent as JSON answers as its parameters do, and one of the model by its name', async () => {
  const post = (path: string, body: unknown) =>
    fetch(`${server.url}${path}`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) });
  const body = { show: QUESTION, by: 'month', per: ['region'], range: 'ytd', totals: ['members'] };
  expect(await (await post('/models/gruenhof/ask?format=csv', body)).text()).toBe(await (await server.get(`${PATH}&format=csv`)).text());
  const named = await server.get('/models/gruenhof/ask?question=monthly-sales&format=csv');
  expect(await named.text()).toBe(durchblick('ask', folder, '--question', 'monthly-sales', '--format', 'csv', '--quiet').stdout);
  const cell = await (
    await post('/models/gruenhof/explain', { reading: 'revenue over mtd', at: '2026-05', members: { region: 'West' } })
  ).json();
  const written = durchblick('explain', folder, 'revenue over mtd', '--at', '2026-05', '--member', 'region=West', '--format', 'json');
  expect(cell).toEqual(JSON.parse(written.stdout));
});

test.each([
  ['/models/gruenhof/ask?show=revenu', 400, 'unknown-measure', 'Did you mean "revenue"?'],
  ['/models/gruenhof/ask?shw=revenue', 400, 'bad-parameter', 'Did you mean "show"?'],
  ['/models/gruenhof/ask?show=revenue&by=month&by=mnth', 400, 'bad-by', ''],
  ['/models/gruenhof/ask?show=revenue&where=region%3DNort', 400, 'unknown-member', 'North'],
  ['/models/gruenhof/ask?show=revenue&rest=perhaps', 400, 'bad-parameter', 'true or false'],
  ['/models/gruenhof/ask', 400, 'no-reading', 'show=revenue'],
  ['/models/gruenhof/explain?reading=revenue', 400, 'bad-parameter', 'at=2026-05'],
  ['/models/nowhere/ask?show=revenue', 404, 'no-model', '/models'],
  ['/nowhere', 404, 'no-path', '/openapi.json'],
])('%s is a problem that says what would be right', async (path, status, code, hint) => {
  const found = await problem(await server.get(path));
  expect([found.status, found.code]).toEqual([status, code]);
  expect(found.hint ?? '').toContain(hint);
});

test('a form that is not given, and a body that is none, are told', async () => {
  expect((await problem(await server.get(PATH, { accept: 'application/pdf' }))).code).toBe('no-such-form');
  const post = (body: string, type = 'application/json') =>
    fetch(`${server.url}/models/gruenhof/ask`, { method: 'POST', headers: { 'content-type': type }, body });
  expect((await problem(await post('{ "show": '))).status).toBe(400);
  expect((await problem(await post('{ "show": ["revenue"], "shw": 1 }'))).hint).toContain('show');
  expect((await problem(await post(`{ "show": ["${'x'.repeat(2 ** 20)}"] }`))).status).toBe(413);
  expect((await problem(await post('a', 'text/plain'))).status).toBe(415);
});

test('V5: nothing is sent again while nothing has changed; a row more is seen by the next question', async () => {
  const first = await server.get(`${PATH}&format=csv`);
  const tag = first.headers.get('etag') as string;
  const before = await first.text();
  expect((await server.get(`${PATH}&format=csv`, { 'if-none-match': tag })).status).toBe(304);
  expect((await server.get(`${PATH}&format=json`, { 'if-none-match': tag })).status).toBe(200);
  appendFileSync(join(folder, 'data/order_lines.csv'), '');
  const lines = readFileSync(join(folder, 'data/order_lines.csv'), 'utf8').trimEnd().split('\n');
  appendFileSync(join(folder, 'data/order_lines.csv'), `${lines[lines.length - 1]}\n`);
  const again = await server.get(`${PATH}&format=csv`, { 'if-none-match': tag });
  expect(again.status).toBe(200);
  const after = await again.text();
  expect(after).not.toBe(before);
  expect(after).toBe(durchblick('ask', folder, ...QUESTION, ...OPTIONS, '--format', 'csv', '--quiet').stdout);
});

test('V6: data that turn bad leave the last good state in use; answers and /ready say so until they are well again', async () => {
  const file = join(folder, 'data/budget.csv');
  const good = readFileSync(file, 'utf8');
  const path = '/models/gruenhof/ask?show=budget&by=year';
  const before = await (await server.get(path)).json();
  appendFileSync(
    file,
    good
      .trimEnd()
      .split('\n')
      .slice(-1)[0]
      .replace(/\d{4}-\d\d/, 'nonsense'),
  );
  const meanwhile = await server.get(path);
  const found = await meanwhile.json();
  expect([meanwhile.status, found.rows]).toEqual([200, before.rows]);
  expect(found.notes.map(({ code }: { code: string }) => code)).toContain('turned-bad');
  expect(await (await server.get('/ready')).json()).toEqual({ ready: true, turnedBad: 1 });
  writeFileSync(file, good);
  expect(await (await server.get(path)).json()).toEqual(before);
  expect(await (await server.get('/ready')).json()).toEqual({ ready: true });
});

test('many ask the same at the same time, and some go away: all who stay get the same bytes', async () => {
  const path = `${PATH}&limit=3&rest=true&format=csv`;
  const gone = Array.from({ length: 10 }, () => {
    const controller = new AbortController();
    setTimeout(() => controller.abort(), 5);
    return fetch(`${server.url}${path}`, { signal: controller.signal }).then(
      () => undefined,
      () => undefined,
    );
  });
  const answers = await Promise.all(Array.from({ length: 40 }, async () => (await server.get(path)).text()));
  await Promise.all(gone);
  expect(new Set(answers).size).toBe(1);
  expect(answers[0]).toContain('(others)');
  await expect.poll(async () => (await server.get('/metrics')).text()).toMatch(/^durchblick_questions_running 0$/m);
});

test('the OpenAPI document names every path that answers, and each is answered as it says', async () => {
  const document = await (await server.get('/openapi.json')).json();
  expect(document.openapi).toBe('3.1.0');
  const text = JSON.stringify(document);
  for (const [, name] of text.matchAll(/"#\/components\/(?:schemas|responses)\/(\w+)"/g))
    expect({ ...document.components.schemas, ...document.components.responses }).toHaveProperty(name);
  for (const [path, { get }] of Object.entries<{
    get: { parameters?: { name: string; required: boolean; example?: string }[]; responses: Record<string, { content: object }> };
  }>(document.paths)) {
    const query = (get.parameters ?? [])
      .filter(({ required }) => required)
      .map(({ name, example }) => `${name}=${encodeURIComponent(example ?? '')}`);
    const asks = /\/(ask|verify|sql)$/.test(path) ? ['show=revenue', 'range=2026-05'] : [];
    const response = await server.get(`${path.replace('{model}', 'gruenhof')}?${[...query, ...asks].join('&')}`);
    expect([path, response.status]).toEqual([path, 200]);
    expect(Object.keys(get.responses[200].content)).toContain(response.headers.get('content-type')?.split(';')[0]);
  }
});

test('whatever parameters say, it is an answer or a problem of theirs, never a fault of the server', async () => {
  const word = fc.oneof(
    fc.constantFrom(
      ...'revenue orders month region ytd 2026 -1 "" a=b region=West ('.split(' '),
      'revenue vs',
      '😀',
      '\u0000',
      '%',
      'null',
    ),
    fc.string({ maxLength: 30 }),
  );
  const route = fc.constantFrom('/ask', '/explain', '/windows', '/calendar', '/names', '/members', '/dictionary', '/alerts');
  const name = fc.constantFrom(...'show by per range where as-of limit reading at attribute locale only totals order keep'.split(' '));
  await assertDraws(
    fc.asyncProperty(route, fc.array(fc.tuple(name, word), { maxLength: 5 }), async (path, pairs) => {
      const response = await server.get(`/models/gruenhof${path}?${new URLSearchParams(pairs)}`);
      expect([200, 400, 404]).toContain(response.status);
      if (response.status !== 200) expect((await response.json()).code).not.toBe('fault');
    }),
    { few: 60, many: 60 },
  );
}, 300_000);

test('a request that comes by the name of somebody else is refused', async () => {
  const { port } = new URL(server.url);
  const status = await new Promise<number>((done) => {
    request({ port, host: '127.0.0.1', path: '/models', headers: { host: 'evil.example' } }, (response) => {
      response.resume();
      done(response.statusCode as number);
    }).end();
  });
  expect(status).toBe(403);
});

test('the log has routes and times, and nothing of what was asked', () => {
  const lines = server
    .log()
    .trim()
    .split('\n')
    .map((line) => JSON.parse(line));
  expect(lines.some(({ route, status, ms }) => route === '/models/:model/ask' && status === 200 && typeof ms === 'number')).toBe(true);
  expect(server.log()).not.toMatch(/West|revenue/);
});

test('the explorer is served, and shows what the command line answers', async () => {
  const opened = await openPage(`${server.url}/#gruenhof`, ({ href }) => href.startsWith(server.url));
  try {
    await opened.page.waitForSelector('#answer tbody tr');
    const shown = await opened.page.$$eval('#answer tbody tr', (rows) => rows.map((row) => (row.children[0].textContent ?? '').trim()));
    expect(shown).toEqual(['2026-01', '2026-02', '2026-03', '2026-04', '2026-05']);
    const first = await opened.page.$eval('#answer tbody tr', (row) => row.children[1].textContent ?? '');
    const { stdout } = durchblick('ask', folder, 'revenue', '--by', 'month', '--range', 'ytd', '--format', 'markdown', '--quiet');
    expect(stdout).toContain(first.trim());
    await opened.page.getByRole('combobox', { name: 'By', exact: true }).click();
    await opened.page.getByRole('option', { name: 'quarter', exact: true }).click();
    await expect.poll(() => opened.page.$$eval('#answer tbody tr', (rows) => rows.length)).toBe(2);
    await opened.page.locator('#answer button.cell').first().click();
    await opened.page.waitForSelector('#why');
    expect(await serious(opened.page)).toEqual([]);
    expect(opened.errors).toEqual([]);
  } finally {
    await opened.close();
  }
});

test('the dictionary is a page that can be searched, and reaches nothing of the server', async () => {
  const opened = await openPage(`${server.url}/models/gruenhof/dictionary`, ({ href }) => href.startsWith(server.url));
  const { page } = opened;
  try {
    await page.locator('input[type=search]').fill('lead-time');
    await expect.poll(() => page.locator('main section:visible').count()).toBe(1);
    const read = await page.evaluate(() =>
      fetch('/models').then(
        () => 'read',
        () => 'refused',
      ),
    );
    expect(read).toBe('refused');
  } finally {
    await opened.close();
  }
});

test('V4: figures are those that the check of the command line has', async () => {
  const { stdout } = durchblick('check', folder, '--format', 'json');
  expect(await (await server.get('/models/gruenhof/figures')).json()).toEqual(JSON.parse(stdout).figures);
});

test.each(['null', '0', 'false', '""', '[]', '{}', '"nowhere"'])(
  '%s for a question or a cell is a problem of the request',
  async (body) => {
    for (const path of ['ask', 'verify', 'sql', 'explain']) {
      const headers = { 'content-type': 'application/json' };
      const response = await fetch(`${server.url}/models/gruenhof/${path}`, { method: 'POST', headers, body });
      expect([path, response.status, response.headers.get('content-type')]).toEqual([path, 400, 'application/problem+json; charset=utf-8']);
    }
  },
);

test('a long answer leaves in parts, with the bytes of the command line', async () => {
  const path = '/models/gruenhof/ask?show=stock&per=product&by=day&format=';
  for (const format of ['csv', 'ndjson']) {
    const response = await server.get(`${path}${format}`);
    const text = await response.text();
    expect(response.headers.get('content-length')).toBeNull();
    expect(text.split('\n').length).toBeGreaterThan(5000);
    expect(text).toBe(durchblick('ask', join(folder, 'model.yaml'), 'stock', '--per', 'product', '--by', 'day', '--format', format).stdout);
  }
});

test('an answer that would be too large as one text is refused before it is made', () => {
  const result = { rows: Array.from({ length: 300 }, () => ['x'.repeat(2 ** 20)]) } as unknown as Result;
  for (const form of ['json', 'markdown'] as const)
    expect(() => RESULT_FORMS[form]?.(result)).toThrow(expect.objectContaining({ status: 413, code: 'too-large' }));
});

test('addresses and bodies that cannot be read are problems', async () => {
  const post = (body: string) =>
    fetch(`${server.url}/models/gruenhof/ask`, { method: 'POST', headers: { 'content-type': 'application/json' }, body });
  for (const response of [await server.get('/models/%zz/ask'), await post('{"show": ['), await post('['.repeat(1e5) + ']'.repeat(1e5))]) {
    expect(response.status).toBe(400);
    await problem(response);
  }
});

test('a page elsewhere has nothing computed: its browser says where it stands', async () => {
  const status = (site: string | undefined, path: string): Promise<number | undefined> =>
    new Promise((done, fail) => {
      const headers = site === undefined ? {} : { 'sec-fetch-site': site };
      request(`${server.url}${path}`, { headers }, (response) => done(response.resume().statusCode))
        .on('error', fail)
        .end();
    });
  const found = await Promise.all([undefined, 'none', 'same-origin', 'same-site', 'cross-site'].map((site) => status(site, '/models')));
  expect(found).toEqual([200, 200, 200, 403, 403]);
  expect(await status('cross-site', '/live')).toBe(200);
});

test('a body that never ends does not keep the process beyond its grace', async () => {
  const own = await serving(SMALL, '--grace', '1');
  const endless = request(`${own.url}/models/small/ask`, {
    method: 'POST',
    headers: { 'content-type': 'application/json', 'content-length': 100 },
  });
  const broken = new Promise((done) => endless.on('error', done));
  endless.write('{"show":');
  await own.get('/live');
  expect(await own.stop()).toBe(1);
  await broken;
});

test('a computation that blocks is ended and started again; /live answers all the while', async () => {
  // Every day of a calendar of ten thousand years takes seconds in one piece.
  const own = await serving(SMALL, '--timeout', '1');
  const slowest = { live: 0 };
  let isOver = false;
  const watching = (async () => {
    while (!isOver) {
      const start = performance.now();
      expect((await own.get('/live')).status).toBe(200);
      slowest.live = Math.max(slowest.live, performance.now() - start);
    }
  })();
  const blocked = await own.get('/models/small/calendar?range=0001/9999&format=csv');
  expect([503, 504]).toContain(blocked.status);
  await expect.poll(async () => (await own.get('/models/small/ask?show=n')).status).toBe(200);
  isOver = true;
  await watching;
  expect(slowest.live).toBeLessThan(1000);
  expect(own.log()).toMatch(/"code":"stuck"/);
  expect(await own.stop()).toBe(0);
});

test('the computation ends with the process that listens, even if that one is killed', async () => {
  const own = await serving(SMALL);
  const [, pid] = /"pid":(\d+)/.exec(own.log()) as RegExpExecArray;
  own.child.kill('SIGKILL');
  const isThere = (): boolean => {
    try {
      return process.kill(Number(pid), 0);
    } catch {
      return false;
    }
  };
  await expect.poll(isThere).toBe(false);
});

describe('keys (V3)', () => {
  const made = (name: string) => {
    const { code, stdout, stderr } = durchblick('serve', '--new-key', name);
    expect(code).toBe(0);
    return { key: /: (\S+)\n$/.exec(stderr)?.[1] as string, line: stdout.trimEnd().split('\n')[1] };
  };
  const [west, all, other, holder] = [made('west'), made('all'), made('other'), made('holder')];
  const rights = (...rows: readonly string[]): void =>
    writeFileSync(join(folder, '../second/data/key_rights.csv'), `holder,region\n${rows.join('\n')}\n`);
  const BY_ROWS = 'where: { region: { table: key_rights, key: holder, value: region } }';
  const file = join(makeFolder(), 'keys.yaml');
  let keyed: ServedProcess;
  beforeAll(async () => {
    const limited = west.line.replace(/ }$/, ', where: { region: West } }');
    writeFileSync(
      file,
      `keys:\n${limited}\n${all.line}\n${other.line.replace(/ }$/, ', models: [second] }')}\n${holder.line.replace(/ }$/, `, models: [second], ${BY_ROWS} }`)}\n`,
    );
    const second = join(folder, '../second');
    cpSync(folder, second, { recursive: true });
    const model = join(second, 'model.yaml');
    writeFileSync(model, readFileSync(model, 'utf8').replace('\nsources:\n', '\nsources:\n  key_rights: { file: data/key_rights.csv }\n'));
    rights('somebody,North', 'holder,West', 'holder,East');
    keyed = await serving(folder, second, '--keys', file);
  });
  afterAll(() => keyed?.stop());
  const as = (key: string, path: string) => keyed.get(path, { authorization: `Bearer ${key}` });

  test('keys are hashed in their file, and none is in the log', () => {
    const written = readFileSync(file, 'utf8');
    for (const { key } of [west, all, other]) {
      expect(key).toMatch(/^[\w-]{43}$/);
      expect(written).not.toContain(key);
      expect(keyed.log()).not.toContain(key);
    }
  });

  test('without a key nothing is told, not even which models there are', async () => {
    for (const path of ['/models', '/models/gruenhof', '/models/nowhere/ask', '/openapi.json', '/metrics']) {
      const response = await keyed.get(path);
      expect([path, response.status, response.headers.get('www-authenticate')]).toEqual([path, 401, 'Bearer']);
      expect(await response.text()).not.toMatch(/gruenhof|second|Grünhof/);
    }
    expect((await keyed.get('/live')).status).toBe(200);
  });

  test('a key sees its models, and no others', async () => {
    expect(await (await as(other.key, '/models')).json()).toEqual([{ name: 'second', title: 'Grünhof nurseries' }]);
    expect((await as(other.key, '/models/gruenhof/ask?show=revenue')).status).toBe(404);
    expect((await as(all.key, '/models')).status).toBe(200);
  });

  test('fixed filters hold on every path: no other region is told anywhere, in no hint either', async () => {
    const document = await (await as(all.key, '/openapi.json')).json();
    const regions = /\b(North|South|East|Alps)\b/;
    const asked = [
      'show=revenue&per=region&by=month&totals=true',
      'show=revenue&where=region%3DNort',
      'show=budget-attainment&per=region,family',
      'show=revenue&per=region&limit=1&rest=true',
    ];
    for (const path of Object.keys(document.paths)) {
      const queries = /\/(ask|verify|sql)$/.test(path)
        ? asked.slice(path.endsWith('ask') ? 0 : 2)
        : /explain/.test(path)
          ? ['reading=revenue&at=2026-05&rows=50', 'reading=revenue&at=2026-05&member=region%3DNorth']
          : /members/.test(path)
            ? ['attribute=region', 'attribute=regin']
            : [''];
      for (const query of queries) {
        const text = await (await as(west.key, `${path.replace('{model}', 'gruenhof')}?${query}`)).text();
        // What the key's holder has said comes back. Where the lines of West were shipped to is part of them.
        const shipped = /\{\s*"name": "ship-region[^{}]*\}/g;
        const own = (query.includes('North') ? text.replaceAll('North', '') : text).replace(shipped, '');
        expect(`${path}?${query}: ${regions.exec(/dictionary|figures|check/.test(path) ? '' : own)?.[0]}`).toBe(
          `${path}?${query}: undefined`,
        );
      }
    }
    const figuresFor = async (key: string) => (await (await as(key, '/models/gruenhof/dictionary?format=json')).json()).figures.length;
    expect([await figuresFor(west.key), (await figuresFor(all.key)) > 0]).toEqual([0, true]);
    const rows = await (await as(west.key, '/models/gruenhof/ask?show=revenue&per=region&format=csv')).text();
    expect(rows.trim().split('\r\n').length).toBe(2);
    expect(
      (await (await as(all.key, '/models/gruenhof/ask?show=revenue&per=region&format=csv')).text()).trim().split('\r\n').length,
    ).toBeGreaterThan(5);
  });

  test('rows of the model say what a key may see, from the next question on; without one it sees nothing', async () => {
    const seen = async (): Promise<string> => {
      const response = await as(holder.key, '/models/second/ask?show=revenue&per=region&format=csv');
      return response.ok
        ? ((await response.text()).match(/North|East|South|West|Alps/g)?.join() ?? '')
        : `${response.status} ${(await response.json()).code}`;
    };
    expect(await seen()).toBe('East,West');
    expect(await (await as(holder.key, '/models/second/members?attribute=region')).text()).not.toMatch(/North|South|Alps/);
    rights('somebody,West', 'holder,South');
    expect(await seen()).toBe('South');
    rights('somebody,West');
    expect(await seen()).toBe('403 no-rights');
    rights('holder,North');
    expect(await seen()).toBe('North');
  });

  test('while they change, every question is answered for one state of them', async () => {
    const seen: string[] = [];
    const waiting: Promise<unknown>[] = [];
    const ask = async (path: string) => {
      const response = await as(holder.key, path);
      const text = await response.text();
      seen.push(response.ok ? [...new Set(text.match(/North|East|South|West|Alps/g))].join() : `${response.status} ${text}`);
    };
    for (let k = 0; k < 6; k++) {
      rights(`holder,${k % 2 === 0 ? 'South' : 'North'}`);
      const asked = Array.from({ length: 24 }, (_, n) =>
        ask(
          `/models/second/ask?show=revenue&per=region&format=csv&range=${2024 + Math.floor(n / 12)}-${String((n % 12) + 1).padStart(2, '0')}`,
        ),
      );
      waiting.push(...asked);
      // Other requests are still queued when the rights change.
      await Promise.any(asked);
    }
    await Promise.all(waiting);
    expect([...new Set(seen)].sort()).toEqual(['North', 'South']);
  });

  test('the explorer and the page of the interface ask for the key, and show what it may see', async () => {
    const opened = await openPage(`${keyed.url}/?show=revenue&per=region&by=year#gruenhof`, ({ href }) => href.startsWith(keyed.url));
    const { page } = opened;
    try {
      await page.getByLabel('Key').fill(west.key);
      await page.getByRole('button', { name: 'Open', exact: true }).click();
      await page.waitForSelector('#answer tbody tr');
      const regions = await page.$$eval('#answer tbody tr', (rows) => rows.map((row) => row.children[1].textContent));
      expect(new Set(regions)).toEqual(new Set(['West']));
      // A tab that has the key once needs no second time.
      await page.goto(`${keyed.url}/api`);
      const ask = page.locator('details', { hasText: 'answers a question' }).first();
      await ask.locator('textarea[name=show]').fill('revenue\norders');
      await ask.locator('textarea[name=per]').fill('region');
      await ask.locator('select[name=format]').selectOption('csv');
      await ask.getByRole('button', { name: 'Try it' }).click();
      await expect.poll(() => ask.locator('output').textContent()).toContain('West');
      expect(await ask.locator('output').textContent()).toContain('revenue,orders');
      expect(await ask.locator('pre').first().textContent()).toContain(
        '/models/gruenhof/ask?show=revenue&show=orders&per=region&format=csv',
      );
      expect(await serious(page)).toEqual([]);
    } finally {
      await opened.close();
    }
  });

  test('tries with wrong keys are slowed down, and say when to come again', async () => {
    const statuses: number[] = [];
    let last: Response | undefined;
    for (let k = 0; k < 6; k++) {
      last = await as('wrong', '/models');
      statuses.push(last.status);
    }
    expect(statuses.slice(0, 3)).toEqual([401, 401, 401]);
    expect(statuses[statuses.length - 1]).toBe(429);
    expect(Number(last?.headers.get('retry-after'))).toBeGreaterThanOrEqual(1);
    // Many may come by one address: whoever has a key is let in.
    expect((await as(all.key, '/models')).status).toBe(200);
  });
});

test.each([
  [['--host', '0.0.0.0'], 2, 'there are no keys'],
  [['--port', 'x'], 2, '--port is "x"'],
  [['--keys', 'nowhere.yaml'], 2, 'nowhere.yaml'],
  [['demo', 'demo'], 2, 'two models would be at /models/demo'],
  [['nowhere'], 2, 'nowhere'],
])('serve %j ends with %i and says %s', (args, code, said) => {
  const found = durchblick('serve', ...(args[0] === 'nowhere' ? args : ['demo', ...args]));
  expect([found.code, found.stderr.includes(said)]).toEqual([code, true]);
  expect(found.stderr).not.toMatch(/^ {4}at /m);
});
