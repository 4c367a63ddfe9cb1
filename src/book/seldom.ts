// What a book does seldom, loaded together when any of it is asked for: every further part costs all others.

export { actualHistory, reachOf, spansLaid } from '../plan/windows.ts';
export { firedAlerts } from './alerts.ts';
export { checkBook } from './check/book.ts';
export { explainedQuestion, explanationOf } from './explain.ts';
export { differencesOf } from './verify/differences.ts';
export { plainStore } from './verify/store.ts';
