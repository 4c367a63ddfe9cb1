// A fact's rows as a table of its own, where a database reads slowly what they come from.
import { type Dialect, freeName } from './dialect.ts';
import { ROWS, type SqlFact } from './fact.ts';

/**
 * Keeps the rows of a text file with their dates and numbers read once: day numbers and scaled numbers stand beside the
 * columns of the file.
 */
export const keepFact = async (
  fact: SqlFact,
  keep: (name: string, select: string) => Promise<string>,
  dialect: Dialect,
): Promise<SqlFact> => {
  const roles = [...fact.fact.roles.keys()];
  const numbers = [...fact.numbers];
  const dayNames = new Map(roles.map((role, k) => [role, freeName(`day_${k}`, fact.relation)]));
  const numberNames = new Map(numbers.map(([column], k) => [column, freeName(`number_${k}`, fact.relation)]));
  const dayName = (role: string): string => dayNames.get(role) as string;
  const numberName = (column: string): string => numberNames.get(column) as string;
  const columns = [
    ...roles.map((role) => `${fact.day(role)} as ${dialect.identifier(dayName(role))}`),
    ...numbers.map(([column, { sql }]) => `${sql} as ${dialect.identifier(numberName(column))}`),
  ];
  const from = await keep(fact.fact.name, `select ${ROWS}.*, ${columns.join(',\n  ')}\nfrom ${fact.relation.from} as ${ROWS}`);
  const kept = (name: string): string => `${ROWS}.${dialect.identifier(name)}`;
  const own = new Map(numbers.map(([column, { sum: _, ...number }]) => [column, { ...number, sql: kept(numberName(column)) }]));
  return {
    ...fact,
    relation: { ...fact.relation, from },
    day: (role) => kept(dayName(role)),
    sameDay: (role) => kept(dayName(role)),
    between: () => undefined,
    numbers: own,
    number: (column) => own.get(column) ?? fact.number(column),
    present: (column) => (fact.fact.columns.has(column) ? (own.get(column)?.sql ?? fact.present(column)) : fact.present(column)),
  };
};
