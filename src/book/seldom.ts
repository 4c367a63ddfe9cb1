// What a book does seldom, loaded together when any of it is asked for: every further part costs all others.

export { namesOf } from '../result/names.ts';
export { alertsAt } from './alerts.ts';
export { checkBook } from './check/check.ts';
export { explainIn } from './explain.ts';
export { figuresOf } from './figures.ts';
export { calendarOf, rangeDays, windowsOf } from './time.ts';
export { verifyIn } from './verify/verify.ts';
