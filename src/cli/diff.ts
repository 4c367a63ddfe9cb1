// `diff`: two models held against each other.
import { stat } from 'node:fs/promises';
import { type AskedOnBoth, type DiffReport, diffSides, diffText, type Side } from '../diff/index.ts';
import { DurchblickError } from '../errors.ts';
import { folderFiles, loadModel, type ModelFile, modelPlaces } from '../files/node.ts';
import { checkTargets } from '../files/write.ts';
import type { Model } from '../model/model.ts';
import type { Question } from '../model/schema.ts';
import { listOf } from '../plan/question-texts.ts';
import { type EngineOptions, engineMaker, oneOf } from './book.ts';
import { modelFile } from './models.ts';
import { bold, dim, screenWidth, wrapped } from './output.ts';
import { type QuestionOptions, questionOf } from './question.ts';
import { deliver } from './write.ts';

export interface DiffCommandOptions extends Omit<QuestionOptions, 'question' | 'asOf' | 'knownBy'>, EngineOptions {
  /** One for both sides, or one for each, the old side's first. */
  readonly asOf?: readonly string[];
  readonly knownBy?: readonly string[];
  readonly data?: readonly string[];
  readonly question?: readonly string[];
  readonly cells: string;
  readonly format: string;
  readonly output?: string;
}

const DIFFERS = 4;
/** Sources up to so many megabytes are compared row by row. */
const MOST_MEGABYTES = 400;

/** A value for each side: one that is given once holds for both. */
const bothOf = (texts: readonly string[] | undefined, option: string): readonly [string | undefined, string | undefined] => {
  const list = listOf(texts ?? []);
  if (list.length > 2)
    throw new DurchblickError('bad-option', `${option} stands for ${list.length} sides`, {
      hint: `Give one value for both sides, or two, the old side's first: ${option} 2026-03-31,2026-04-30.`,
    });
  return [list[0], list[1] ?? list[0]];
};

interface Loaded {
  readonly side: Side;
  readonly places: readonly string[];
  readonly files: readonly string[];
}

const sideOf = async (
  path: string,
  data: string | undefined,
  seen: Pick<Side, 'asOf' | 'knownBy'>,
  options: DiffCommandOptions,
): Promise<Loaded> => {
  const { allow } = options;
  const read = await loadModel(await modelFile(path), { allow });
  const loaded: ModelFile = data === undefined ? read : { ...read, folder: data, files: folderFiles(data, { allow }) };
  const make = await engineMaker(loaded, options);
  const places = await modelPlaces(loaded.model, loaded.files);
  return {
    side: { model: loaded.model, engine: () => make(), data: options.connect ?? loaded.files.home, ...seen },
    places,
    files: [...places, ...loaded.parts.map(({ real }) => real)],
  };
};

/** Every measure and formula by year, where no question is named and the model has none. */
const EVERYTHING = (model: Model): readonly AskedOnBoth[] =>
  [...model.measures.keys(), ...model.formulas.keys()].map((name) => ({
    name,
    question: { show: [/^[a-z][a-z0-9-]*$/.test(name) ? name : `"${name}"`], by: 'year' },
  }));

const questionsOf = async (
  readings: readonly string[],
  options: DiffCommandOptions,
  old: Model,
  now: Model,
): Promise<readonly AskedOnBoth[]> => {
  const { question: names = [], asOf: _, knownBy: __, ...rest } = options;
  if (readings.length > 0) {
    const ask = await questionOf(readings, rest, 'diff old.yaml new.yaml');
    return [{ name: readings.join(', '), question: ask(now) }];
  }
  if (names.length > 0)
    return Promise.all(
      names.map(async (name) => ({ name, question: (await questionOf([], { ...rest, question: name }, 'diff old.yaml new.yaml'))(now) })),
    );
  const named = new Map<string, Question>([...old.questions, ...now.questions].map(([name, { question }]) => [name, question]));
  return named.size > 0 ? [...named].map(([name, question]) => ({ name, question })) : EVERYTHING(now);
};

const megabytesOf = async (places: readonly string[]): Promise<number> => {
  const sizes = await Promise.all(places.map((file) => stat(file).then(({ size }) => size)));
  return sizes.reduce((sum, size) => sum + size, 0) / 1e6;
};

const written = (report: DiffReport, format: string, cells: number): string => {
  if (format === 'json') return `${JSON.stringify(report, null, 2)}\n`;
  return diffText(report, cells, {
    strong: bold,
    quiet: dim,
    lines: (text, indent) => wrapped(text, Math.max(40, screenWidth() - indent)),
  });
};

/** Says what two models define differently, which numbers differ, and why; exit code 4 where anything does. */
export const diff = async (old: string, others: readonly string[], options: DiffCommandOptions): Promise<number> => {
  const format = oneOf(options.format, ['text', 'json'], '--format');
  if (!/^\d+$/.test(options.cells))
    throw new DurchblickError('bad-option', `--cells is "${options.cells}"`, { hint: 'It takes a whole number from 0.' });
  // The second model may be left out where the sides differ in what is seen, or in their data.
  const seen = {
    asOf: bothOf(options.asOf, '--as-of'),
    knownBy: bothOf(options.knownBy, '--known-by'),
    data: bothOf(options.data, '--data'),
  };
  const isOneModel = others.length === 0 || !/\.(ya?ml|json)$|\/|^\.*$/i.test(others[0]);
  const [now, readings] = isOneModel ? [old, others] : [others[0], others.slice(1)];
  if (now === old && Object.values(seen).every(([a, b]) => a === b))
    throw new DurchblickError('bad-option', 'both sides are the same', {
      hint: 'Name a second model, or let the sides differ: --as-of 2026-03-31,2026-04-30, --known-by …, or --data old/,new/.',
    });
  const part = (k: 0 | 1) => ({
    ...(seen.asOf[k] === undefined ? {} : { asOf: seen.asOf[k] }),
    ...(seen.knownBy[k] === undefined ? {} : { knownBy: seen.knownBy[k] }),
  });
  const sides = [await sideOf(old, seen.data[0], part(0), options), await sideOf(now, seen.data[1], part(1), options)] as const;
  await checkTargets(
    options.output === undefined ? [] : [options.output],
    sides.flatMap(({ files }) => files),
  );
  const questions = await questionsOf(readings, options, sides[0].side.model, sides[1].side.model);
  const isLarge = options.connect !== undefined || (await megabytesOf(sides.flatMap(({ places }) => places))) > MOST_MEGABYTES;
  const report = await diffSides(sides[0].side, sides[1].side, questions, { rows: isLarge ? 'no' : 'compare' });
  await deliver(written(report, format, Number(options.cells)), options.output, format === 'json' ? 'data' : 'words');
  return report.same ? 0 : DIFFERS;
};
