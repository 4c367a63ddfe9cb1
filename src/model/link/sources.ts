// Links sources, and the dimensions that are read from them.
import { suggest } from '../../errors.ts';
import type { Faults } from '../faults.ts';
import type { Attribute, Dimension, Model, Rate, Source } from '../model.ts';
import type { ModelInput } from '../schema.ts';

export const linkDimension = (
  name: string,
  input: NonNullable<ModelInput['dimensions']>[string],
  sources: ReadonlyMap<string, Source>,
  faults: Faults,
): Dimension => {
  const path = ['dimensions', name];
  if (input.source !== undefined && !sources.has(input.source)) {
    faults.add(
      [...path, 'source'],
      'unknown-source',
      `there is no source "${input.source}"`,
      suggest(input.source, sources.keys(), 'sources'),
    );
  }
  if (input.source !== undefined && input.key === undefined)
    faults.add(
      path,
      'missing-key',
      `dimension "${name}" has a source but no key`,
      'Name the column that facts link to, as in `key: product_id`.',
    );
  if (input.source === undefined && (input.key ?? input.attributes) !== undefined)
    faults.add(
      path,
      'contradiction',
      `dimension "${name}" has ${input.key ? 'a key' : 'attributes'} but no source`,
      'Name the source, or leave both out.',
    );
  const attributes = new Map<string, Attribute>();
  for (const [attribute, column] of Object.entries(input.attributes ?? {})) {
    attributes.set(
      attribute,
      typeof column === 'string'
        ? { name: attribute, column, order: undefined }
        : { name: attribute, column: column.column, order: column.order },
    );
  }
  if (input.source === undefined) attributes.set(name, { name, column: name, order: undefined });
  else if (attributes.size === 0 && input.key !== undefined) attributes.set(name, { name, column: input.key, order: undefined });
  if (input.source === undefined && input.valid !== undefined)
    faults.add(
      [...path, 'valid'],
      'contradiction',
      `dimension "${name}" has versions but no source`,
      'Name the source, or leave `valid` out.',
    );
  return { name, source: input.source, key: input.key, valid: input.valid, attributes };
};

const HOLD = 7;

/** Links a table of rates (G10). */
export const linkRate = (
  name: string,
  input: NonNullable<ModelInput['rates']>[string],
  { sources, units }: Pick<Model, 'sources' | 'units'>,
  faults: Faults,
): Rate => {
  const path = ['rates', name];
  const { source, date, of, grain = 'day', by = {}, hold } = input;
  if (!sources.has(source))
    faults.add([...path, 'source'], 'unknown-source', `there is no source "${source}"`, suggest(source, sources.keys(), 'sources'));
  if (!units.includes(grain)) faults.add([...path, 'grain'], 'unknown-unit', `there is no unit "${grain}"`, suggest(grain, units, 'units'));
  if (hold !== undefined && grain !== 'day')
    faults.add(
      [...path, 'hold'],
      'bad-rate',
      `rate "${name}" is kept by ${grain}, and holds as long as its ${grain}`,
      'Leave `hold` out (G10).',
    );
  return { name, source, date, of, grain, by: Object.entries(by), hold: hold ?? HOLD };
};

const linkSource = (name: string, input: NonNullable<ModelInput['sources']>[string], faults: Faults): Source => {
  const given = (['file', 'table', 'query'] as const).filter((key) => input[key] !== undefined);
  if (given.length > 1)
    faults.add(['sources', name], 'contradiction', `source "${name}" has ${given.join(' and ')}`, 'A source is one of them.');
  const numbers = input.decimal ?? 'plain';
  const { encoding, sheet } = input;
  const isText = /\.(csv|json|ndjson|jsonl)(\.gz)?$/i.test(input.file ?? '') || !/\.\w+$/.test(input.file ?? '');
  if (encoding !== undefined && (input.file === undefined || !isText))
    faults.add(['sources', name, 'encoding'], 'contradiction', `source "${name}" is no file of texts`, 'Leave `encoding` out.');
  if (sheet !== undefined && !/\.xlsx$/i.test(input.file ?? ''))
    faults.add(['sources', name, 'sheet'], 'contradiction', `source "${name}" is no workbook`, 'Leave `sheet` out.');
  if (input.file !== undefined)
    return { kind: 'file', name, numbers, file: input.file, encoding: encoding === 'utf-8' ? undefined : encoding, sheet };
  if (input.table !== undefined) return { kind: 'table', name, numbers, table: input.table };
  if (input.query !== undefined) return { kind: 'query', name, numbers, query: input.query };
  return { kind: 'given', name, numbers };
};

/** Sources that facts and dimensions name but the model does not list are given to the engine by name. */
const withGivenSources = (input: ModelInput): Map<string, Source | undefined> => {
  const names =
    input.sources === undefined
      ? [...Object.values(input.facts), ...Object.values(input.dimensions ?? {}), ...Object.values(input.rates ?? {})].flatMap(
          (user) => user.source ?? [],
        )
      : [];
  return new Map(names.map((name) => [name, { kind: 'given', name, numbers: 'plain' } as Source]));
};

/** All sources of a model: those that it lists, or those that its parts name. */
export const linkSources = (input: ModelInput, faults: Faults): Map<string, Source> => {
  const sources = new Map<string, Source>();
  for (const [name, source] of withGivenSources(input)) if (source) sources.set(name, source);
  for (const [name, source] of Object.entries(input.sources ?? {})) sources.set(name, linkSource(name, source, faults));
  return sources;
};
