import { spawnSync } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import { median, ms, print } from './rig.ts';

/** How long the compiler takes over a model literal of 200 measures and 200 questions on it. */
const MEASURES = 200;
const folder = 'tmp/types';
mkdirSync(folder, { recursive: true });
const fact = (k: number): string => {
  const measures = Array.from({ length: 20 }, (_, m) => `'measure-${k * 20 + m}': { sum: 'amount', role: 'ordered' }`);
  return `'fact-${k}': { source: 'lines', dates: { ordered: 'a', shipped: 'b' }, links: { region: 'r', product: 'p' }, measures: { ${measures.join(', ')} } }`;
};
const model = `const model = defineModel({
  calendar: { yearSystems: { fiscal: { starts: '--07-01', label: 'FY{year}' }, retail: { pattern: '4-4-5', ends: 'saturday nearest june 30', label: 'R{year}' } } },
  dimensions: { region: { source: 'regions', key: 'id', attributes: { region: 'n', country: 'c' } }, product: { source: 'products', key: 'id', attributes: { product: 'n', family: 'f' } } },
  facts: { ${Array.from({ length: MEASURES / 20 }, (_, k) => fact(k)).join(',\n')} },
});\nconst book = await open(model, memory({}));\n`;
const questions = Array.from(
  { length: MEASURES },
  (_, k) =>
    `void (await book.ask({ show: ['measure-${k}', 'measure-${k} on shipped over fiscal-ytd vs year-earlier as change', '(measure-${k} over mtd) / (measure-0 over [P10D/anchor] across region)'], by: 'retail-week', per: ['region', 'family'], where: { country: 'Germany' } }));\n`,
);
const head = `import { defineModel, open } from '../../src/index.ts';\nimport { memory } from '../../src/engines/memory/index.ts';\n`;
const compile = (body: string): number => {
  writeFileSync(`${folder}/model.ts`, `${head}${body}`);
  writeFileSync(`${folder}/tsconfig.json`, JSON.stringify({ extends: '../../tsconfig.json', include: ['model.ts'] }));
  const times = Array.from({ length: 3 }, () => {
    const start = performance.now();
    const { status, stdout } = spawnSync('npx', ['tsc', '-p', `${folder}/tsconfig.json`, '--noEmit'], { encoding: 'utf8' });
    if (status !== 0) throw new Error(stdout);
    return performance.now() - start;
  });
  return median(times);
};
print('compile the library alone', ms(compile('void [defineModel, open, memory];')));
print(`with a model of ${MEASURES} measures`, ms(compile(model)));
print(`and ${MEASURES} questions of three readings`, ms(compile(model + questions.join(''))));
