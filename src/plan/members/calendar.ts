// Calendar attributes: every row has a day, and the day a place in the calendar (U11, U12).
import type { AttributeKind } from './kind.ts';

export const calendarKind: AttributeKind<'calendar'> = {
  map: (_, { standing }) => ({ kind: 'day', standing }),
  name: ({ name }) => name,
  // They are those of a calendar, which is laid for a question.
  listed: () => undefined,
};
