// Folders that say something of the rows in their files: `year=2026/month=08/part.parquet`.
import { DurchblickError } from '../errors.ts';
import type { FileTable } from './column.ts';

/** What folders say of files: names, and the text of each for every file; null where a folder says that there is none. */
export interface Partitions {
  readonly names: readonly string[];
  readonly values: readonly (readonly (string | null)[])[];
}

const STEP = /^([A-Za-z_][\w-]*)=(.*)$/;
/** How writers name the folder of rows without a value. */
const NOTHING = '__HIVE_DEFAULT_PARTITION__';

const textOf = (written: string): string | null => {
  if (written === NOTHING || written === '') return null;
  try {
    return decodeURIComponent(written);
  } catch {
    return written;
  }
};

const stepsOf = (path: string): readonly (readonly [name: string, value: string | null])[] =>
  path
    .split('/')
    .slice(0, -1)
    .flatMap((step) => {
      const match = STEP.exec(step);
      return match ? [[match[1], textOf(match[2])] as const] : [];
    });

/** What the folders of some files say; undefined where they say nothing. All of them must say the same things. */
export const partitionsOf = (paths: readonly string[]): Partitions | undefined => {
  const steps = paths.map(stepsOf);
  const [first] = steps;
  const names = (first ?? []).map(([name]) => name);
  const uneven = steps.findIndex((own) => own.map(([name]) => name).join('/') !== names.join('/'));
  if (uneven >= 0)
    throw new DurchblickError('uneven-files', `${paths[uneven]} lies in other folders than ${paths[0]}`, {
      kind: 'data',
      hint: 'Files of one source lie in folders that say the same things, year=2026/month=08, or in folders that say nothing.',
    });
  const doubled = names.find((name, k) => names.indexOf(name) < k);
  if (doubled !== undefined)
    throw new DurchblickError('uneven-files', `${paths[0]} lies in two folders that say what "${doubled}" is`, {
      kind: 'data',
      hint: 'Each may be said once.',
    });
  return names.length === 0 ? undefined : { names, values: steps.map((own) => own.map(([, value]) => value)) };
};

/** Names that folders give beside those that the files have themselves. */
export const addedNames = ({ names }: Partitions, own: readonly string[]): readonly number[] =>
  names.flatMap((name, k) => (own.includes(name) ? [] : [k]));

/** A table with what the folders of its file say, as texts. */
export const withPartitions = (table: FileTable, partitions: Partitions | undefined, file: number): FileTable => {
  if (!partitions) return table;
  const own = table.columns.map(({ name }) => name);
  const added = addedNames(partitions, own).map((k) => ({
    name: partitions.names[k],
    kind: 'text' as const,
    values: new Array<string | null>(table.rows).fill(partitions.values[file][k]),
  }));
  return { ...table, columns: [...table.columns, ...added] };
};
