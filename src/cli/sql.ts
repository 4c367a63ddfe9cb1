// `sql`: the statements of a question.
import { VIEW } from '../engines/duckdb/index.ts';
import type { Statement } from '../engines/sql/database.ts';
import type { Model } from '../model/model.ts';
import type { Question } from '../model/schema.ts';
import { type EngineOptions, type Opening, openBook } from './book.ts';
import { laidOut } from './laid-out.ts';
import { type QuestionOptions, questionOf } from './question.ts';
import { deliver } from './write.ts';

export interface SqlOptions extends QuestionOptions, EngineOptions {
  readonly output?: string;
}

/** The statement laid out, with what it is for above it. */
const written = ({ about, sql }: Statement, language: 'duckdb' | 'postgresql'): string =>
  `-- ${about.replace(/[\r\n]+/g, ' ')}\n${laidOut(sql, language)};\n`;

/** The statements of a question over a model, laid out; they run as they stand. */
export const statementsOf = async (
  path: string,
  questionIn: (model: Model) => Question,
  { connect, allow, output, fixed }: Pick<Opening, 'connect' | 'allow' | 'fixed'> & Pick<SqlOptions, 'output'>,
): Promise<string> => {
  const statements: Statement[] = [];
  const engine = connect === undefined ? { engine: 'duckdb' as const } : { connect };
  const book = await openBook(path, {
    ...engine,
    allow,
    writes: [output],
    inPlace: true,
    asked: 'once',
    fixed,
    trace: (statement) => void statements.push(statement),
  });
  try {
    const opened = statements.length;
    await book.ask(questionIn(book.model));
    const asked = statements.slice(opened);
    // Of the views that stand for files, only those that are used.
    const views = statements.slice(0, opened).filter(({ about, sql }) => {
      const name = /^create temp view ("(?:[^"]|"")+")/.exec(sql)?.[1];
      return about.startsWith(VIEW) && name !== undefined && asked.some((statement) => statement.sql.includes(`from ${name} as `));
    });
    const language = /^postgres/.test(connect ?? '') ? 'postgresql' : 'duckdb';
    return [...views, ...asked].map((statement) => written(statement, language)).join('\n');
  } finally {
    await book.close();
  }
};

/** Prints the statements that a database is asked for a question; they run as printed. */
export const sql = async (path: string, readings: readonly string[], options: SqlOptions): Promise<number> => {
  const questionIn = await questionOf(readings, options, `sql ${path}`);
  await deliver(await statementsOf(path, questionIn, options), options.output);
  return 0;
};
