// How coarse amounts lie on finer days and members (G3, G6): loaded where a model has such.
export { spreadAcross } from './members.ts';
export { shareOf } from './spread.ts';
