// What there is to ask for, as plain data: every name of a model with what it is.

import { CIVIL_UNITS } from '../calendar/calendar.ts';
import type { Standing } from '../calendar/standing.ts';
import { measureWords } from '../evaluate/shapes/table.ts';
import type { AttributeRef } from '../model/attributes.ts';
import { reach, writtenAttributes } from '../model/attributes.ts';
import { daysIn, type Fact, type Measure, type Model } from '../model/model.ts';
import type { Question, WhereInput } from '../model/schema.ts';
import { localeOf } from '../plan/question.ts';
import { BUILT_IN, comparisonText } from '../plan/windows.ts';
import type { Texts } from '../words/texts.ts';
import { type Format, unitOfFormat } from './format.ts';
import { type Labels, labelsOf } from './labels.ts';
import { csvLine } from './text.ts';

/** The kinds of names, in the order in which they are listed. */
export const NAME_KINDS = ['measure', 'formula', 'role', 'window', 'comparison', 'unit', 'attribute', 'member', 'question'] as const;
export type NameKind = (typeof NAME_KINDS)[number];

/** One name of a model. What does not apply to its kind is left out. */
export interface NamedEntry {
  readonly kind: NameKind;
  readonly name: string;
  /** What it is: in words, as a formula's text, or as a window or comparison is written. */
  readonly is: string;
  /** The role that a measure is taken on where a reading names none. */
  readonly role?: string;
  /** The attribute of a member. */
  readonly of?: string;
  /** The fact of a measure or role; the facts that an attribute can split (G5). */
  readonly facts?: readonly string[];
  /** What its numbers are counted in: a currency, `%`, `days` or another unit of its format. */
  readonly unit?: string;
  readonly label?: string;
  readonly description?: string;
  /** Who answers for it; of a measure without one, who does for its fact. */
  readonly owner?: string;
  /** Whether every model has it. */
  readonly builtIn?: boolean;
}

const formatUnit = (format: object | undefined): string | undefined => format && unitOfFormat(format as Format);
const measureUnit = ({ format, aggregate }: Measure): string | undefined =>
  formatUnit(format) ?? (daysIn(aggregate) === undefined ? undefined : 'days');

type Given = Pick<NamedEntry, 'kind' | 'name' | 'is'> & { readonly [K in keyof NamedEntry]?: NamedEntry[K] | undefined };
/** An entry without what does not apply. */
const entry = (given: Given): NamedEntry =>
  Object.fromEntries(Object.entries(given).filter(([, value]) => value !== undefined)) as unknown as NamedEntry;

/** What a model says of a name beside what it is, from the value as written: a text says nothing. */
type Saying = (written: unknown) => Pick<NamedEntry, 'label' | 'description' | 'owner'>;

const sayingIn =
  ({ text }: Labels): Saying =>
  (written) => {
    if (typeof written !== 'object' || written === null) return {};
    const { label, description, owner } = written as { label?: Texts; description?: Texts; owner?: string };
    const said = { label: text(label), description: text(description), owner };
    return Object.fromEntries(Object.entries(said).filter(([, value]) => value !== undefined));
  };

const measureEntry = (measure: Measure, { input }: Model, saidIn: Saying): NamedEntry => {
  const fact = input.facts[measure.fact.name];
  const { label, description, owner = fact.owner } = saidIn(fact.measures[measure.name]);
  return entry({
    kind: 'measure',
    name: measure.name,
    is: measureWords(measure) + whereWords(measure.where),
    role: measure.role,
    facts: [measure.fact.name],
    unit: measureUnit(measure),
    label,
    description,
    owner,
  });
};

const rolesOf = ({ name, roles, enters }: Fact, { input }: Model, saidIn: Saying): NamedEntry[] =>
  [...roles.values()].map((role) =>
    entry({
      kind: 'role',
      name: role.name,
      is: `date in ${role.column}${role.horizon === 'plan' ? ', a plan' : ''}${enters === role.name ? ', rows enter by it' : ''}`,
      facts: [name],
      ...saidIn(input.facts[name].dates[role.name]),
    }),
  );

/** Where a unit comes from: the civil calendar, a year system, or periods of the model's own (U2). */
const unitWords = (unit: string, model: Model): string => {
  if (CIVIL_UNITS.includes(unit)) return 'of the civil calendar';
  const system = Object.keys(model.input.calendar?.yearSystems ?? {}).find((name) => unit.startsWith(`${name}-`));
  return system === undefined ? "periods of the model's own" : `of the year system ${system}`;
};

/** What days are sorted by (U11). */
const standingWords = (name: string, standing: Standing): string =>
  standing.kind === 'number' ? `days by the number of their ${standing.inner} in its ${standing.outer}` : `days by ${name}`;

/** Filters in words, each as `--where` takes it. */
export const filterText = (where: WhereInput): string => {
  const list = (values: unknown): string => (Array.isArray(values) ? values : [values]).map(String).join(',');
  const one = ([name, test]: [string, unknown]): string => {
    if (typeof test !== 'object' || test === null || Array.isArray(test)) return `${name}=${list(test)}`;
    const { not, from, to } = test as { not?: unknown; from?: unknown; to?: unknown };
    return not === undefined ? `${name}=${String(from ?? '')}..${String(to ?? '')}` : `${name}!=${list(not)}`;
  };
  return Object.entries(where).map(one).join(' and ');
};

/** A measure's own filter. */
const whereWords = (where: WhereInput = {}): string => (Object.keys(where).length === 0 ? '' : `, where ${filterText(where)}`);

/** An attribute as the model writes it; of a dimension without a source, the dimension. */
const writtenAttribute = ({ dimension, attribute }: Extract<AttributeRef, { kind: 'attribute' }>, { input }: Model): unknown => {
  const written = input.dimensions?.[dimension.name];
  return dimension.source === undefined ? written : written?.attributes?.[attribute];
};

const attributeEntry = (
  { name, attribute }: ReturnType<typeof writtenAttributes>[number],
  model: Model,
  labels: Labels,
  saidIn: Saying,
): NamedEntry => {
  const called = labels.attribute(name, attribute);
  const facts = [...model.facts.values()].filter((fact) => reach(fact, attribute) !== undefined);
  const is = (): string => {
    if (attribute.kind === 'calendar') return standingWords(attribute.name, attribute.standing);
    if (attribute.kind === 'band') return `band of ${facts[0].bands.get(attribute.band)?.of}`;
    return `of ${attribute.dimension.name}${attribute.part === attribute.dimension.name ? '' : `, as ${attribute.part}`}`;
  };
  return entry({
    kind: 'attribute',
    name,
    is: is(),
    facts: facts.map((fact) => fact.name),
    ...(attribute.kind === 'attribute' ? saidIn(writtenAttribute(attribute, model)) : {}),
    label: called.labelled ? called.text : undefined,
    builtIn: attribute.kind === 'calendar' ? true : undefined,
  });
};

/** A question in short: what it shows, by what, per what, over which range. */
const questionWords = ({ show, by, per = [], range }: Question): string => {
  const list = (texts: string | readonly string[]): string => (typeof texts === 'string' ? texts : texts.join(', '));
  return [
    show.map((column) => (typeof column === 'string' ? column : (column.label ?? column.is))).join(', '),
    ...(by === undefined ? [] : [`by ${list(by)}`]),
    ...(per.length === 0 ? [] : [`per ${list(per)}`]),
    ...(range === undefined ? [] : [`over ${range}`]),
  ].join(' ');
};

/** Every name of a model that a question can use, kind by kind, in a language; members are known to a book alone. */
export const namesOf = (model: Model, locale?: string): NamedEntry[] => {
  const labels = labelsOf(model, localeOf(model, locale));
  const saidIn = sayingIn(labels);
  const { input } = model;
  return [
    ...Array.from(model.measures.values(), (measure) => measureEntry(measure, model, saidIn)),
    ...Array.from(model.formulas.values(), ({ name, text, format }) =>
      entry({ kind: 'formula', name, is: text, unit: formatUnit(format), ...saidIn(input.formulas?.[name]) }),
    ),
    ...Array.from(model.facts.values(), (fact) => rolesOf(fact, model, saidIn)).flat(),
    ...Array.from(model.windows.values(), ({ name, text, builtIn }) =>
      entry({ kind: 'window', name, is: text, ...saidIn(input.windows?.[name]), builtIn: builtIn || undefined }),
    ),
    ...Array.from(model.comparisons.values(), (comparison) =>
      entry({
        kind: 'comparison',
        name: comparison.name,
        is: `${comparisonText(comparison)}${comparison.match === 'whole' ? ', whole periods' : ''}`,
        ...saidIn(input.comparisons?.[comparison.name]),
        builtIn: BUILT_IN.includes(comparison.name) || undefined,
      }),
    ),
    ...model.units.map((unit) =>
      entry({ kind: 'unit', name: unit, is: unitWords(unit, model), builtIn: CIVIL_UNITS.includes(unit) || undefined }),
    ),
    ...writtenAttributes(model).map((written) => attributeEntry(written, model, labels, saidIn)),
    ...Array.from(model.questions.values(), ({ name, question }) =>
      entry({ kind: 'question', name, is: questionWords(question), ...saidIn(input.questions?.[name]) }),
    ),
  ];
};

export const NAMES_HEADER = ['kind', 'name', 'is', 'role', 'of', 'facts', 'unit', 'label', 'description', 'owner'];
/** The fields of an entry; several facts stand in one, with a semicolon and a blank between. */
export const nameCells = ({
  kind,
  name,
  is,
  role = '',
  of = '',
  facts = [],
  unit = '',
  label = '',
  description = '',
  owner = '',
}: NamedEntry): string[] => [kind, name, is, role, of, facts.join('; '), unit, label, description, owner];

/** RFC 4180, one name a record. */
export const namesCsv = (entries: readonly NamedEntry[]): string => [NAMES_HEADER, ...entries.map(nameCells)].map(csvLine).join('');
