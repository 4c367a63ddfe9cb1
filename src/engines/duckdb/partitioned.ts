// Files that lie in folders named by a value: what the folders say stands beside the columns of the files.
import type { FoundFile } from '../../files/folder.ts';
import { addedNames, partitionsOf } from '../../files/partitions.ts';
import { physicalNames } from './columns.ts';
import { duckdbDialect } from './dialect.ts';

const { identifier } = duckdbDialect;

/** Files by what their folders say of them, as one relation with that beside their columns. */
export const inPartitions = (
  files: readonly FoundFile[],
  names: readonly string[],
  read: (files: readonly FoundFile[]) => string,
): { readonly from: string; readonly added: readonly string[] } => {
  const partitions = partitionsOf(files.map(({ name }) => name));
  const added = partitions ? addedNames(partitions, names) : [];
  if (!partitions || added.length === 0) return { from: read(files), added: [] };
  const groups = new Map<string, { readonly values: readonly (string | null)[]; readonly files: FoundFile[] }>();
  files.forEach((file, k) => {
    const values = added.map((at) => partitions.values[k][at]);
    const group = groups.get(JSON.stringify(values)) ?? { values, files: [] };
    groups.set(JSON.stringify(values), group);
    group.files.push(file);
  });
  const own = physicalNames([...names, ...added.map((k) => partitions.names[k])]).slice(names.length);
  const selects = [...groups.values()].map(({ values, files: list }) => {
    const said = values.map((value, k) => `${value === null ? 'null' : duckdbDialect.text(value)}::varchar as ${identifier(own[k])}`);
    return `select *, ${said.join(', ')} from ${read(list)}`;
  });
  return { from: `(${selects.join(' union all ')})`, added: added.map((k) => partitions.names[k]) };
};
