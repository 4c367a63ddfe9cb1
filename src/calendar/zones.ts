// The rules of time zones. Loaded where a model has one: most of them do, few pages need them at once.
// The functions, not the classes: of those only what is used gets into a bundle.
import * as Instant from 'temporal-polyfill/fns/Instant';
import * as ZonedDateTime from 'temporal-polyfill/fns/ZonedDateTime';

/** How far a zone lies before UTC's clock at an instant, and its next change; all in milliseconds. */
export const offsetAt = (
  instant: number,
  timeZone: string,
): { readonly offset: number; readonly next: { readonly from: number; readonly offset: number } | undefined } => {
  const at = Instant.toZonedDateTimeISO(Instant.fromEpochMilliseconds(instant), timeZone);
  const next = ZonedDateTime.getTimeZoneTransition(at, 'next');
  return {
    offset: ZonedDateTime.offsetNanoseconds(at) / 1e6,
    next: next ? { from: next.epochMilliseconds, offset: ZonedDateTime.offsetNanoseconds(next) / 1e6 } : undefined,
  };
};
