// A drafted model as a file with comments.
import { stringify } from 'yaml';
import type { NumberForm } from '../model/decimal.ts';

export interface DraftLink {
  readonly part: string;
  readonly column: string;
  readonly dimension: string;
  readonly attribute: string | undefined;
}

export interface DraftMeasure {
  readonly name: string;
  readonly aggregate: 'sum' | 'average' | 'count' | 'count-distinct' | 'days-between';
  readonly column: string;
  readonly role: string;
  readonly acrossTime?: string;
  readonly spread?: string;
}

export interface DraftFact {
  readonly name: string;
  readonly source: string;
  readonly grain: string;
  readonly plan: boolean;
  readonly enters: string | undefined;
  readonly roles: readonly {
    readonly name: string;
    readonly column: string;
    readonly format: string | undefined;
    readonly blankDates: readonly string[];
    readonly badToBlank: boolean;
    readonly plan: boolean;
  }[];
  readonly links: readonly DraftLink[];
  readonly computed: readonly { readonly name: string; readonly is: string }[];
  readonly recorded: string | undefined;
  readonly versionKey: readonly string[];
  readonly measures: readonly DraftMeasure[];
}

export interface DraftModel {
  readonly zoned: boolean;
  readonly sources: readonly { readonly name: string; readonly file: string; readonly isTable: boolean; readonly numbers: NumberForm }[];
  readonly periods: readonly {
    readonly name: string;
    readonly source: string;
    readonly start: string;
    readonly end: string | undefined;
    readonly label: string;
  }[];
  readonly dimensions: readonly {
    readonly name: string;
    readonly source: string | undefined;
    readonly key: string | undefined;
    readonly attributes: readonly { readonly name: string; readonly column: string }[];
  }[];
  readonly facts: readonly DraftFact[];
}

/** Line breaks of YAML. */
const BREAK = /[\r\n\u0085\u2028\u2029]/;

/** A value as one line of YAML. Falls back to JSON, which is valid YAML, if the value contains line breaks. */
const flow = (value: unknown): string => {
  const text = stringify(value, { collectionStyle: 'flow', lineWidth: 0, defaultStringType: 'PLAIN', defaultKeyType: 'PLAIN' }).trim();
  return BREAK.test(text) ? JSON.stringify(value) : text;
};

const isPlainRole = ({ format, blankDates, badToBlank, plan }: DraftFact['roles'][number]): boolean =>
  format === undefined && blankDates.length === 0 && !badToBlank && !plan;

const factLines = (fact: DraftFact): string[] => {
  const lines = [
    `  ${flow(fact.name)}:`,
    '    # description: what one row of it stands for, and which rows are not in it',
    '    # owner: who answers for it',
    `    source: ${flow(fact.source)}`,
    `    grain: ${fact.grain}`,
  ];
  if (fact.plan) lines.push('    horizon: plan               # seen before its time comes');
  if (fact.enters !== undefined) lines.push(`    enters: ${flow(fact.enters)}               # the date from which a row exists`);
  lines.push('    dates:                      # roles: the first is the one to place rows by');
  for (const role of fact.roles) {
    const full = {
      column: role.column,
      ...(role.plan ? { horizon: 'plan' } : {}),
      ...(role.format === undefined ? {} : { format: role.format }),
      ...(role.badToBlank ? { 'on-bad-date': 'blank' } : {}),
      ...(role.blankDates.length > 0 ? { 'blank-dates': [...role.blankDates] } : {}),
    };
    lines.push(`      ${flow(role.name)}: ${flow(isPlainRole(role) ? role.column : full)}`);
  }
  if (fact.computed.length > 0) {
    lines.push('    columns:');
    for (const { name, is } of fact.computed) lines.push(`      ${flow(name)}: ${flow(is)}`);
  }
  if (fact.links.length > 0) {
    lines.push('    links:                      # what the rows can be split by');
    for (const { part, column, dimension, attribute } of fact.links) {
      if (attribute !== undefined) lines.push(`      ${flow(`${dimension}.${attribute}`)}: ${flow(column)}`);
      else lines.push(`      ${flow(part)}: ${flow(part === dimension ? column : { dimension, column })}`);
    }
  }
  if (fact.recorded !== undefined) {
    lines.push(`    recorded: ${flow(fact.recorded)}        # revisions: the last one of each key counts`);
    lines.push(`    version-key: ${flow([...fact.versionKey])}`);
  }
  lines.push('    measures:                   # each may have a label, a description and an owner, too');
  for (const { name, aggregate, column, role, acrossTime, spread } of fact.measures) {
    const measure = {
      [aggregate]: column,
      ...(fact.roles.length > 1 ? { role } : {}),
      ...(acrossTime === undefined ? {} : { 'across-time': acrossTime }),
      ...(spread === undefined ? {} : { spread }),
    };
    lines.push(`      ${flow(name)}: ${flow(measure)}`);
  }
  return lines;
};

/** The model as a file with comments; the guesses stand at its head. */
export const yamlOf = (model: DraftModel, guesses: readonly string[]): string => {
  const lines = ['# A first model, drafted from the files below. Read it, correct it, keep it.'];
  if (guesses.length > 0) lines.push('#', '# Guessed:', ...guesses.map((guess) => `# - ${guess.replace(/[\r\n]+/g, ' ')}`));
  lines.push('durchblick: 1', 'name: My model');
  lines.push(
    `time-zone: UTC                  # ${model.zoned ? 'decides on which day a timestamp lies: put in yours' : 'only timestamps with an offset depend on it'}`,
  );
  if (model.periods.length > 0) {
    lines.push('', 'calendar:', '  periods:');
    for (const { name, source, start, end, label } of model.periods)
      lines.push(`    ${flow(name)}: ${flow({ table: source, start, ...(end === undefined ? {} : { end }), label })}`);
  }
  lines.push('', 'sources:');
  for (const { name, file, isTable, numbers } of model.sources)
    lines.push(`  ${flow(name)}: ${flow({ [isTable ? 'table' : 'file']: file, ...(numbers === 'plain' ? {} : { decimal: numbers }) })}`);
  if (model.dimensions.length > 0) {
    lines.push('', 'dimensions:');
    for (const { name, source, key, attributes } of model.dimensions)
      lines.push(
        source === undefined
          ? `  ${flow(name)}: {}`
          : `  ${flow(name)}: ${flow({ source, key, attributes: Object.fromEntries(attributes.map((attribute) => [attribute.name, attribute.column])) })}`,
      );
  }
  lines.push('', 'facts:');
  for (const fact of model.facts) lines.push(...factLines(fact));
  return `${lines.join('\n')}\n`;
};
