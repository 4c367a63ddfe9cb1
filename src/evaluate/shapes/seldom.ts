// What only some measures and comparisons need, loaded together for the first of them: every further part costs all others.
export { compare } from '../../windows/compare.ts';
export { betweenKind } from './between.ts';
export { firstTimeKind } from './first-time.ts';
export { levelKind } from './level.ts';
export { overTimeKind } from './over-time.ts';
export { percentileKind } from './percentile.ts';
export * from './shares.ts';
export { sightingsKind } from './sightings.ts';
