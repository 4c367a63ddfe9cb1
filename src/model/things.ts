// Every named thing of a model as it is written: what has a label, a description or an owner, and what models differ in.
import type { Path } from './keys.ts';
import type { ModelInput } from './schema.ts';

/** Maps of named things, and what one of them is called. */
const GROUPS = {
  sources: 'source',
  dimensions: 'dimension',
  rates: 'rate',
  facts: 'fact',
  formulas: 'formula',
  windows: 'window',
  comparisons: 'comparison',
  alerts: 'alert',
  questions: 'question',
  publications: 'publication',
} as const;
type Group = keyof typeof GROUPS;
/** The same inside of some of them. */
const INNER: Readonly<Partial<Record<Group, Readonly<Record<string, string>>>>> = {
  dimensions: { attributes: 'attribute' },
  facts: { dates: 'date', columns: 'column', links: 'link', bands: 'band', measures: 'measure' },
};

export const GROUP_KEYS = Object.keys(GROUPS) as readonly Group[];

export interface Thing {
  /** `measure`, `formula`, `column`, … */
  readonly kind: string;
  readonly name: string;
  /** The fact or dimension that it is in. */
  readonly of?: string;
  readonly path: Path;
  /** As it is written; of facts and dimensions without the things in them. */
  readonly written: unknown;
}

type Entries = Readonly<Record<string, unknown>>;
export const entriesOf = (value: unknown): [string, unknown][] => Object.entries((value ?? {}) as Entries);

export function* thingsOf(input: ModelInput): Iterable<Thing> {
  for (const group of GROUP_KEYS)
    for (const [name, written] of entriesOf(input[group])) {
      const inner = INNER[group];
      const own = inner ? Object.fromEntries(entriesOf(written).filter(([key]) => !Object.hasOwn(inner, key))) : written;
      yield { kind: GROUPS[group], name, path: [group, name], written: own };
      for (const [key, kind] of Object.entries(inner ?? {}))
        for (const [below, value] of entriesOf((written as Entries)[key]))
          yield { kind, name: below, of: name, path: [group, name, key, below], written: value };
    }
}
