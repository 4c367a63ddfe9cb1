// What a key may see where that stands in rows of the model: looked up for each state of the data.
import type { Question } from '../model/schema.ts';
import type { Key, Right } from './keys.ts';
import { HttpProblem } from './problem.ts';

type Rows = readonly Readonly<Record<string, unknown>>[];

/** Reads columns of a source as they stand there. */
export type ReadRows = (source: string, columns: readonly string[]) => Promise<Rows>;

const membersIn = (rows: Rows, { key, value }: Right, name: string): readonly string[] => [
  ...new Set(
    rows
      .filter((row) => String(row[key] ?? '') === name)
      .flatMap((row) => (row[value] === null || row[value] === undefined ? [] : [String(row[value])])),
  ),
];

/** The filters of a key in a model. A key without a row sees nothing, and that is said: an empty filter is never all (V3). */
export const filtersFor = async ({ name, where, rights }: Key, read: ReadRows): Promise<Question['where']> => {
  if (rights.length === 0) return where;
  const found: Record<string, readonly string[]> = {};
  for (const right of rights) {
    const members = membersIn(await read(right.table, [right.key, right.value]), right, name);
    if (members.length === 0)
      throw new HttpProblem(
        403,
        'no-rights',
        'this key may see nothing of this model',
        'Whoever gave it can give it a row in the table of rights.',
      );
    found[right.attribute] = members;
  }
  return { ...where, ...found } as Question['where'];
};
