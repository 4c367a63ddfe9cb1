import { spawnSync } from 'node:child_process';
import { mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { loadModel } from '../src/files/node.ts';
import { median, ms, print } from './rig.ts';

/** A model of 300 measures over 12 files, with labels in three languages: how long it is read and checked, and compiled. */
const [FACTS, EACH, TIMES] = [10, 30, 5];
const folder = 'tmp/parts';
rmSync(folder, { recursive: true, force: true });
mkdirSync(join(folder, 'facts'), { recursive: true });

const label = (name: string) => ({ en: `${name} (en)`, de: `${name} (de)`, fr: `${name} (fr)` });
const factOf = (k: number) => ({
  [`fact-${k}`]: {
    source: `lines-${k}`,
    owner: `team-${k}`,
    dates: { ordered: { column: 'ordered', label: label('ordered') }, shipped: 'shipped' },
    links: { region: 'region', product: 'product' },
    columns: { net: 'amount - discount' },
    measures: Object.fromEntries(
      Array.from({ length: EACH }, (_, m) => [
        `measure-${k * EACH + m}`,
        { sum: m % 2 === 0 ? 'net' : 'amount', role: 'ordered', label: label(`measure ${k * EACH + m}`), where: { country: 'Here' } },
      ]),
    ),
  },
});
const shared = {
  calendar: { yearSystems: { fiscal: { starts: '--07-01', label: 'FY{year}' } } },
  dimensions: {
    region: { source: 'regions', key: 'id', attributes: { region: 'name', country: { column: 'country', label: label('country') } } },
    product: { source: 'products', key: 'id', attributes: { product: 'name', family: 'family' } },
  },
};
const formulas = {
  formulas: Object.fromEntries(
    Array.from({ length: FACTS * EACH }, (_, k) => [
      `formula-${k}`,
      { is: `(measure-${k} over fiscal-ytd) / (measure-${(k + 7) % (FACTS * EACH)} over mtd)`, label: label(`formula ${k}`) },
    ]),
  ),
};
const parts: readonly (readonly [name: string, value: object])[] = [
  ['model', { ...shared }],
  ['formulas', formulas],
  ...Array.from({ length: FACTS }, (_, k) => [`facts/fact-${k}`, { facts: factOf(k) }] as const),
];
for (const [name, value] of parts) {
  const sources = Object.fromEntries(
    ['regions', 'products', ...Array.from({ length: FACTS }, (_, k) => `lines-${k}`)].map((source) => [source, {}]),
  );
  const own = name === 'model' ? { includes: ['formulas.yaml', 'facts/*.yaml'], ...value, sources } : value;
  writeFileSync(join(folder, `${name}.yaml`), JSON.stringify(own, null, 1));
}

const timed = async (run: () => unknown): Promise<number> => {
  const times: number[] = [];
  for (let k = 0; k < TIMES; k++) {
    const start = performance.now();
    await run();
    times.push(performance.now() - start);
  }
  return median(times);
};
const { model, parts: read } = await loadModel(join(folder, 'model.yaml'));
print(
  `${read.length} files, ${model.measures.size} measures, ${model.formulas.size} formulas, three languages: read and checked`,
  ms(await timed(() => loadModel(join(folder, 'model.yaml')))),
);

const names = parts.map(([name]) => `part_${name.replace(/\W/g, '_')}`);
for (const [k, [, value]] of parts.entries())
  writeFileSync(join(folder, `${names[k]}.ts`), `export const ${names[k]} = ${JSON.stringify(value)} as const;\n`);
const imports = names.map((name) => `import { ${name} } from './${name}.ts';\n`).join('');
writeFileSync(
  join(folder, 'whole.ts'),
  `import { defineModel, open } from '../../src/index.ts';\nimport { memory } from '../../src/engines/memory/index.ts';\n${imports}const model = defineModel([${names.join(', ')}]);\nconst book = await open(model, memory({}));\nvoid (await book.ask({ show: ['formula-0 over mtd', 'measure-299 vs year-earlier as change'], per: ['country'] }));\n`,
);
writeFileSync(`${folder}/tsconfig.json`, JSON.stringify({ extends: '../../tsconfig.json', include: ['whole.ts'] }));
const compiled = await timed(() => {
  const { status, stdout } = spawnSync('npx', ['tsc', '-p', `${folder}/tsconfig.json`, '--noEmit'], { encoding: 'utf8' });
  if (status !== 0) throw new Error(stdout);
});
print('the same as parts in TypeScript, compiled with a question', ms(compiled));
