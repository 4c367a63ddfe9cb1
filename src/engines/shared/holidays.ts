// Holidays of a model's iCalendar file, for every engine.
import type { Holiday } from '../../calendar/calendar.ts';
import type { Day } from '../../calendar/day.ts';
import { DurchblickError } from '../../errors.ts';
import type { Files } from '../../files/files.ts';
import type { Model } from '../../model/model.ts';

/** Every day between two days, inclusive, that an event of the file touches in the time zone (U10). */
export const holidaysIn = async (
  files: Files | undefined,
  model: Model,
  file: string,
  timeZone: string,
  first: Day,
  last: Day,
): Promise<readonly Holiday[]> => {
  const place = model.locate(['calendar', 'workingDays', 'holidays']);
  if (!files)
    throw new DurchblickError('no-files', `the holidays are in ${file}, but the engine was given no files`, {
      place,
      hint: 'Pass `files`, or list the holidays in the model.',
    });
  const bytes = await files(file).catch((error: unknown) => {
    if (error instanceof DurchblickError) throw error.located(place);
    throw new DurchblickError('no-file', `cannot read ${file}`, { place, hint: 'Paths are relative to the model file.' });
  });
  const { readHolidays } = await import('../../files/ics.ts');
  return readHolidays(new TextDecoder().decode(bytes), file, timeZone, first, last);
};
