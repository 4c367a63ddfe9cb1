// What a book does seldom, loaded together when any of it is asked for: every further part costs all others.
export { checkBook } from './check/book.ts';
export { explainedQuestion, explanationOf } from './explain.ts';
export { actualHistory, comparisonsAt, reachOf, spansOf, windowsAt } from './plan/windows.ts';
export { differencesOf } from './verify/differences.ts';
export { plainStore } from './verify/store.ts';
