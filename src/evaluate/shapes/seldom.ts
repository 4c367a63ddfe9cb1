// What only some measures and comparisons need, loaded together for the first of them: every further part costs all others.
export { compare } from '../../windows/compare.ts';
export { between } from './between.ts';
export { level } from './level.ts';
export { overTime } from './over-time.ts';
export * from './shares.ts';
export { bySightings } from './sightings.ts';
