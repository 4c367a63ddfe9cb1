// Writes a report: one file that is switched offline.
import { DurchblickError } from '../errors.ts';
import { loadModel, modelPlaces } from '../files/node.ts';
import { checkTargets, writeWhole } from '../files/write.ts';
import { type EngineOptions, engineMaker } from './book.ts';
import { modelFile } from './models.ts';
import { toStderr } from './write.ts';

export interface ReportCommandOptions extends EngineOptions {
  readonly question?: readonly string[];
  readonly filter?: string;
  readonly output?: string;
}

export const report = async (path: string, options: ReportCommandOptions): Promise<number> => {
  const loaded = await loadModel(await modelFile(path), { allow: options.allow });
  const { model, files, parts } = loaded;
  const questions = options.question ?? [...model.questions.keys()];
  if (questions.length === 0)
    throw new DurchblickError('no-reading', 'the model has no questions, and none is named', {
      hint: 'Give the model `questions`, and name them with --question.',
    });
  const output = options.output ?? 'report.html';
  await checkTargets([output], [...parts.map(({ real }) => real), ...(await modelPlaces(model, files))]);
  const made = await (await import('../report/index.ts')).report(model, (await engineMaker(loaded, options))(), {
    questions,
    ...(options.filter === undefined
      ? {}
      : {
          filters: options.filter
            .split(',')
            .map((name) => name.trim())
            .filter((name) => name !== ''),
        }),
  });
  await writeWhole(output, made);
  toStderr(`wrote ${output} (${Math.ceil(Buffer.byteLength(made) / 1000)} kB)\n`);
  return 0;
};
