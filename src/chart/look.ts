/** Own palette: told apart in greys and by readers with any common colour blindness, darkest first. */
export const SERIES = ['#14532d', '#c2571a', '#3b5fa8', '#8a6d00', '#7b3f8c', '#4b8f8c', '#a33b52', '#5f6b73'] as const;
export const PALE = '#b9c4bd';
export const INK = '#26332b';
export const QUIET = '#6b776f';
/** Alerts: what is bad and what is good, told apart by their arrows as well. */
export const VERDICTS = { bad: '#b3261e', good: '#1b6e3c', neutral: INK } as const;
const GRID = '#e6ebe8';
const FONT = 'DejaVu Sans, Verdana, sans-serif';

/** What all charts share beside their marks. */
export const chartConfig = {
  font: FONT,
  view: { stroke: null },
  axis: { domainColor: QUIET, tickColor: QUIET, labelColor: INK, gridColor: GRID, labelFontSize: 11 },
  legend: { labelColor: INK, labelFontSize: 12 },
} as const;

/** The line above a chart: what it shows, and below it for which days. */
export const chartTitle = (text: string, subtitle: string): Record<string, unknown> => ({
  text,
  subtitle,
  anchor: 'start',
  fontSize: 16,
  subtitleFontSize: 12,
  subtitleColor: QUIET,
  color: INK,
  offset: 12,
});
