import fc from 'fast-check';
import { memory } from '../src/engines/memory/index.ts';
import { DurchblickError, open } from '../src/index.ts';
import { data, question, worldOf } from '../tests/random/world.ts';
import { print } from './rig.ts';

/** Ten thousand random questions to one book: memory must not grow once its caches are full, nor answers get slower. */
const QUESTIONS = Number(process.env.BENCH_QUESTIONS ?? 10_000);
const [drawn] = fc.sample(data, { seed: 20260815, numRuns: 1 });
const { world, tables } = worldOf(drawn);
// A cache that is full early, so that whatever grows afterwards should not.
const cacheBytes = 4 * 2 ** 20;
const book = await open(world.model, memory(tables), { where: drawn.fixed, cacheBytes });
const asked = fc.sample(question, { seed: 7, numRuns: QUESTIONS });
const used = (): number => {
  (globalThis as { gc?: () => void }).gc?.();
  return process.memoryUsage().heapUsed / 2 ** 20;
};
const marks: { readonly heap: number; readonly seconds: number }[] = [];
let [answered, refused] = [0, 0];
let start = performance.now();
for (const [k, one] of asked.entries()) {
  try {
    await book.ask(one as never);
    answered++;
  } catch (error) {
    if (!(error instanceof DurchblickError)) throw error;
    refused++;
  }
  if ((k + 1) % (QUESTIONS / 10) !== 0) continue;
  marks.push({ heap: used(), seconds: (performance.now() - start) / 1000 });
  start = performance.now();
}
await book.close();
print(`${QUESTIONS} questions: answered, refused with a reason`, `${answered}, ${refused}`);
for (const [k, { heap, seconds }] of marks.entries())
  print(`  after ${((k + 1) * QUESTIONS) / 10}`, `${heap.toFixed(0)} MiB  ${seconds.toFixed(1)} s`);
const [early, late] = [marks[4].heap, marks[9].heap];
print('growth over the second half', `${(late - early).toFixed(0)} MiB`);
if (late - early > 5) process.exitCode = 1;
