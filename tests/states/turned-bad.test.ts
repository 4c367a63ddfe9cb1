import { appendFileSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from 'vitest';
import { open } from '../../src/index.ts';
import { makeFolder } from '../setup/builders.ts';
import { duckdb, loadModel, memory } from '../setup/library.ts';

const MODEL = `sources: { lines: { file: lines.csv } }
facts:
  lines: { source: lines, dates: { on: day }, measures: { amount: { sum: n } } }
`;

test.each(['memory', 'duckdb'] as const)(
  'V6: %s over files that turn bad answers from the last good state and says so, or tells the fault',
  async (engine) => {
    const folder = makeFolder();
    const lines = join(folder, 'lines.csv');
    writeFileSync(join(folder, 'model.yaml'), MODEL);
    writeFileSync(lines, 'day,n\n2026-01-01,1\n2026-01-02,2\n');
    const { model, files } = await loadModel(join(folder, 'model.yaml'));
    const made = () => (engine === 'memory' ? memory({}, { files }) : duckdb({ folder, files }));
    const [keeps, fails] = [await open(model, made(), { whenBad: 'keep' }), await open(model, made())];
    const total = async (book: typeof keeps, locale = 'en') => {
      const { rows, notes } = await book.ask({ show: ['amount'], locale });
      return [rows[0][1], ...notes.map(({ code, message }) => `${code}: ${message}`)];
    };
    expect(await total(keeps)).toEqual([3]);
    appendFileSync(lines, 'nonsense,4\n');
    expect(await total(keeps)).toEqual([
      3,
      expect.stringMatching(
        /^turned-bad: the data have turned bad: .*nonsense.*; this is answered from what they were at 20..-..-.. ..:.. UTC$/,
      ),
    ]);
    expect((await total(keeps, 'de'))[1]).toContain('die Daten sind fehlerhaft geworden');
    expect((await keeps.refresh())?.turnedBad).toContain('nonsense');
    await expect(total(fails)).rejects.toThrow('nonsense');
    // It is gone altogether.
    renameSync(lines, `${lines}.away`);
    expect((await total(keeps))[0]).toBe(3);
    await expect(total(fails)).rejects.toThrow('lines.csv');
    // And well again.
    writeFileSync(lines, 'day,n\n2026-01-01,10\n');
    expect(await total(keeps)).toEqual([10]);
    expect(await total(fails)).toEqual([10]);
    expect((await keeps.refresh())?.turnedBad).toBeUndefined();
    await keeps.close();
    await fails.close();
  },
);
