import { DurchblickError, describe } from '../errors.ts';
import { openBook } from './book.ts';
import { exitCodeOf, red, toStderr } from './output.ts';

/** Checks a model and its data; lists every fault, not only the first. */
export const check = async (path: string): Promise<number> => {
  try {
    const book = await openBook(path);
    const { facts, measures, formulas, windows, comparisons } = book.model;
    for (const { message } of book.dataNotes) toStderr(`warning: ${message}\n`);
    await book.close();
    const built = [...windows.values()].filter(({ builtIn }) => builtIn).length;
    process.stdout.write(
      `${path}: ${facts.size} facts, ${measures.size} measures, ${formulas.size} formulas, ${windows.size - built} windows (and ${built} built in), ${comparisons.size} comparisons: all names known, all dates are dates.\n`,
    );
    return 0;
  } catch (error) {
    if (!(error instanceof DurchblickError)) throw error;
    for (const fault of error.all) toStderr(`${red('error:', process.stderr)} ${describe(fault)}\n`);
    return exitCodeOf(error);
  }
};
