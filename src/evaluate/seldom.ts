// What only some measures and comparisons need, loaded together for the first of them: every further part costs all others.

export { compare } from '../windows/compare.ts';
export { between } from './between.ts';
export { byEvents } from './events.ts';
export { acrossTime, level } from './levels.ts';
export * from './shares.ts';
