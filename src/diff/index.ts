// What two models define differently, which numbers differ, and why.
export type { DefinitionChange } from './definitions.ts';
export { type AskedOnBoth, type DiffOptions, diffSides } from './diff.ts';
export type { Cause, CauseCode, CellDifference, DiffReport, QuestionDifference, ReadingDifference } from './report.ts';
export type { RowChange } from './rows.ts';
export type { Side } from './sides.ts';
export { diffText, type Paint } from './text.ts';
