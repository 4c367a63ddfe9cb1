// What is written to tables and files for others.
import { DurchblickError, suggest } from '../../errors.ts';
import type { Faults } from '../faults.ts';
import type { Publication, PublishedFormat } from '../model.ts';
import type { ModelInput, PublicationInput } from '../schema.ts';

const FORMATS: readonly PublishedFormat[] = ['parquet', 'arrow', 'csv'];

const bad = (message: string, hint: string): never => {
  throw new DurchblickError('bad-publication', message, { hint });
};

/** Exactly one of two keys. */
const oneOf = (a: unknown, b: unknown, keys: string, hint: string): void => {
  if (a === undefined && b === undefined) bad(`it has neither ${keys.replace('/', ' nor ')}`, hint);
  if (a !== undefined && b !== undefined) bad(`it has both ${keys.replace('/', ' and ')}`, hint);
};

const contentOf = ({ question, calendar }: PublicationInput, questions: readonly string[]): Publication['of'] => {
  oneOf(question, calendar, '"question"/"calendar"', 'A publication is the answer to a question of the model, or a calendar.');
  if (question === undefined) return { kind: 'calendar', range: String(calendar) };
  if (!questions.includes(question))
    throw new DurchblickError('unknown-question', `there is no question "${question}"`, {
      hint: suggest(question, questions, 'questions'),
    });
  return { kind: 'question', question };
};

const placeOf = ({ table, file }: PublicationInput): Publication['to'] => {
  oneOf(table, file, '"table"/"file"', 'A publication goes to one place; a second one of the same question may go to another.');
  if (file !== undefined) {
    const format = FORMATS.find((name) => file.toLowerCase().endsWith(`.${name}`));
    if (format === undefined) return bad(`"file" is "${file}"`, 'Its name ends in .parquet, .arrow or .csv.');
    return { kind: 'file', path: file, format };
  }
  const parts = (table as string).split('.');
  if (parts.length > 2 || parts.some((part) => part.trim() === ''))
    return bad(`"table" is "${table}"`, 'It is the name of a table, with its schema or without: reports.monthly_sales.');
  const [name, schema] = [...parts].reverse();
  return { kind: 'table', schema, table: name };
};

/** Databases and disks that tell capitals from small letters apart are not the only ones. */
const targetKey = (to: Publication['to']): string =>
  (to.kind === 'file' ? `file ${to.path}` : `table ${to.schema ?? ''}.${to.table}`).toLowerCase();

export const linkPublications = ({ publications = {}, questions = {} }: ModelInput, faults: Faults): ReadonlyMap<string, Publication> => {
  const made = new Map<string, Publication>();
  const taken = new Map<string, string>();
  for (const [name, written] of Object.entries(publications)) {
    const path = ['publications', name];
    const publication = faults.attempt(path, (): Publication => {
      const to = placeOf(written);
      const before = taken.get(targetKey(to));
      if (before !== undefined) bad(`"${before}" is written to the same place`, 'Each publication has a table or file of its own.');
      taken.set(targetKey(to), name);
      return { name, label: written.label, description: written.description, of: contentOf(written, Object.keys(questions)), to };
    });
    if (publication) made.set(name, publication);
  }
  return made;
};
