// Writes publications to their tables and files: all that differ, one after the other.
import type { Book } from '../book/types.ts';
import { DurchblickError, suggest } from '../errors.ts';
import type { Model, Publication } from '../model/model.ts';
import { answerTable, daysTable, type PublishedTable } from './table.ts';
import { type Target, targetText } from './target.ts';

/** What became of a publication; with `dry-run` what would. */
export interface Published {
  readonly publication: string;
  /** The table or file. */
  readonly to: string;
  readonly state: 'created' | 'replaced' | 'unchanged' | 'failed';
  readonly rows?: number;
  readonly error?: DurchblickError;
}

export interface PublishOptions {
  /** Where a publication is written; throws where there is no such place. */
  readonly targetOf: (publication: Publication) => Promise<Target>;
  /** Tables that the model reads in the database that is written to: `schema.table` or `table`. */
  readonly tablesRead?: readonly string[];
  /** Says what would be written, and writes nothing. */
  readonly mode?: 'write' | 'dry-run';
}

/** The publications that are asked for, in the order of the model; all when none is named. */
export const publicationsNamed = ({ publications }: Model, names: readonly string[]): readonly Publication[] => {
  if (publications.size === 0)
    throw new DurchblickError('no-publication', 'the model has no publications', {
      hint: 'Name a question and where its answer goes, as in publications: { monthly_sales: { question: monthly-sales, file: out/monthly_sales.parquet } }.',
    });
  const unknown = names.find((name) => !publications.has(name));
  if (unknown !== undefined)
    throw new DurchblickError('unknown-publication', `there is no publication "${unknown}"`, {
      hint: suggest(unknown, publications.keys(), 'publications'),
    });
  return [...publications.values()].filter(({ name }) => names.length === 0 || names.includes(name));
};

/** What a publication holds in the present state of the data. */
export const tableOf = async (book: Book, publication: Publication): Promise<PublishedTable> => {
  const { of } = publication;
  if (of.kind === 'question') return answerTable(await book.ask(of.question), publication, book.model);
  const range = await book.range(of.range);
  return daysTable(await book.calendar(range), range, publication, book.model);
};

/** Whether two names can be one table. A name without a schema can be in any. */
const isSameTable = (one: string, other: string): boolean => {
  const [[table, schema], [otherTable, otherSchema]] = [one, other].map((name) => name.toLowerCase().split('.').reverse());
  return table === otherTable && (schema === undefined || otherSchema === undefined || schema === otherSchema);
};

const publishOne = async (
  publication: Publication,
  made: PublishedTable,
  { targetOf, tablesRead = [], mode }: PublishOptions,
): Promise<Published> => {
  const target = await targetOf(publication);
  const to = targetText(publication.to);
  if (publication.to.kind === 'table' && tablesRead.some((table) => isSameTable(table, to)))
    throw new DurchblickError('place-taken', `${to} is a table that the model reads`, { hint: 'Publish to another table.' });
  const there = await target.look(publication.to, made);
  const told = { publication: publication.name, to, rows: made.rows };
  if (there === 'foreign')
    throw new DurchblickError('place-taken', `${to} exists, and is not marked "${made.mark}"`, {
      kind: 'engine',
      hint: 'Use another name, or remove what is there if it is no longer needed.',
    });
  if (there === 'same') return { ...told, state: 'unchanged' };
  if (mode !== 'dry-run') await target.write(publication.to, made);
  return { ...told, state: there === 'nothing' ? 'created' : 'replaced' };
};

const asFault = (error: unknown): DurchblickError => {
  if (error instanceof DurchblickError) return error;
  throw error;
};

/** What a publication holds, or why it holds nothing. */
export type Made = { readonly publication: Publication } & ({ readonly table: PublishedTable } | { readonly error: DurchblickError });

/** Computes publications one after the other; a fault in one does not stop the others. */
export const makeAll = async (book: Book, publications: readonly Publication[]): Promise<readonly Made[]> => {
  const made: Made[] = [];
  for (const publication of publications)
    made.push(
      await tableOf(book, publication).then(
        (table) => ({ publication, table }),
        (error: unknown) => ({ publication, error: asFault(error) }),
      ),
    );
  return made;
};

/** Writes what was computed; `told` hears of each as soon as it is done. */
export const publishAll = async (
  made: readonly Made[],
  options: PublishOptions,
  told: (published: Published) => void = () => undefined,
): Promise<readonly Published[]> => {
  const all: Published[] = [];
  for (const one of made) {
    const { publication } = one;
    const failed = (error: unknown): Published => ({
      publication: publication.name,
      to: targetText(publication.to),
      state: 'failed',
      error: asFault(error),
    });
    const published = 'error' in one ? failed(one.error) : await publishOne(publication, one.table, options).catch(failed);
    told(published);
    all.push(published);
  }
  return all;
};
