// Which rows of dimensions fixed filters hide (V3).
import type { Filter } from '../../plan/request.ts';

/** Fixed filters on a dimension's own attributes, in one part: they hide rows of its table. */
export const hidingFilters = (fixed: readonly Filter[], part: string): Extract<Filter, { kind: 'members' }>[] =>
  fixed.flatMap((filter) =>
    filter.kind === 'members' && filter.attribute.kind === 'attribute' && filter.attribute.part === part ? [filter] : [],
  );
