import { dateReader, loadZones } from '../src/calendar/dates.ts';
import { calendar } from '../src/index.ts';
import { median, ms, print, timed } from './rig.ts';

/** A calendar of 200 years with every kind of unit, one lookup in each, and ten million timestamps with offsets. */
const options = {
  from: '1900-01-01',
  to: '2099-12-31',
  yearSystems: {
    fiscal: { starts: '--04-06', label: 'FY{year}' },
    retail: { pattern: '4-4-5', ends: 'saturday nearest june 30', label: 'R{year}' },
  },
} as const;
const building: number[] = [];
const looking: number[] = [];
for (let round = 0; round < 15; round++) {
  const [time, found] = await timed(() => {
    const built = calendar(options);
    for (const unit of built.units.keys()) built.label(unit, '2026-08-15');
    return built;
  });
  building.push(time);
  const week = found.unit('retail-week');
  looking.push(
    (
      await timed(() => {
        let sum = 0;
        for (let day = found.first; day <= found.last; day++) sum += week.starts[found.indexOf(week, day)];
        return sum;
      })
    )[0],
  );
}
print('build 200 years with all units, a lookup in each', ms(median(building)));
print('a floor for each of 73,000 days', ms(median(looking)));
await loadZones('Europe/Berlin');
const read = dateReader({ timeZone: 'Europe/Berlin', grain: 'day' });
const start = Date.UTC(2016, 0, 1);
const [instants] = await timed(() => {
  let sum = 0;
  for (let k = 0; k < 10_000_000; k++) sum += read(new Date(start + k * 31_000)) as number;
  return sum;
});
print('10 million instants to days of Europe/Berlin', ms(instants));
const texts = Array.from({ length: 1_000_000 }, (_, k) => `${new Date(start + k * 310_000).toISOString().slice(0, 19)}+01:00`);
const [parsing] = await timed(() => texts.reduce((sum, text) => sum + (read(text) as number), 0));
print('1 million different ISO texts with an offset', ms(parsing));
