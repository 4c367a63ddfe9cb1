// Every named thing of a model as it is written, with its path: what has a label, a description or an owner.
import type { Path } from './keys.ts';
import type { ModelInput } from './schema.ts';

export interface Thing {
  readonly path: Path;
  readonly written: unknown;
}

const GROUPS = ['sources', 'dimensions', 'rates', 'facts', 'formulas', 'windows', 'comparisons', 'alerts', 'questions'] as const;
const INNER = { dimensions: ['attributes'], facts: ['dates', 'links', 'bands', 'measures'] } as const;

const below = (written: unknown, key: string): Readonly<Record<string, unknown>> =>
  ((written as Readonly<Record<string, unknown>>)[key] ?? {}) as Readonly<Record<string, unknown>>;

export function* thingsOf(input: ModelInput): Iterable<Thing> {
  for (const group of GROUPS)
    for (const [name, written] of Object.entries(input[group] ?? {})) {
      yield { path: [group, name], written };
      for (const key of group === 'dimensions' || group === 'facts' ? INNER[group] : [])
        for (const [inner, own] of Object.entries(below(written, key))) yield { path: [group, name, key, inner], written: own };
    }
}
