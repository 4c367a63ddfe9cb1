// Colours, fonts and titles that all charts share.
import { shownText } from '../basics/text.ts';
/** Colours of a chart, for light and for dark pages. */
export interface Theme {
  /** Told apart in greys and by readers with any common colour blindness. */
  readonly series: readonly string[];
  /** What the chosen period is compared with. */
  readonly pale: string;
  /** Lines of plans. */
  readonly plan: string;
  readonly ink: string;
  readonly quiet: string;
  readonly grid: string;
  readonly background: string;
  /** Alerts: what is bad and what is good, told apart by their arrows as well. */
  readonly verdicts: Readonly<Record<'bad' | 'good' | 'neutral', string>>;
  /** Changes above and below zero. */
  readonly signs: readonly [up: string, down: string];
}

export const LIGHT: Theme = {
  series: ['#14532d', '#c2571a', '#3b5fa8', '#8a6d00', '#7b3f8c', '#4b8f8c', '#a33b52', '#5f6b73'],
  pale: '#b9c4bd',
  plan: '#1f2a24',
  ink: '#26332b',
  quiet: '#5f6b64',
  grid: '#e6ebe8',
  background: '#ffffff',
  verdicts: { bad: '#b3261e', good: '#1b6e3c', neutral: '#26332b' },
  signs: ['#3b5fa8', '#c2571a'],
};

export const DARK: Theme = {
  series: ['#7fcf9b', '#f0a36b', '#8fb0f0', '#d9bd4a', '#cfa0dc', '#8fd0cc', '#f094a6', '#b6c2ca'],
  pale: '#52635a',
  plan: '#f2f6f3',
  ink: '#e3ebe6',
  quiet: '#a4b3aa',
  grid: '#2c3831',
  background: '#151d18',
  verdicts: { bad: '#ff8a80', good: '#86d8a4', neutral: '#e3ebe6' },
  signs: ['#8fb0f0', '#f0a36b'],
};

export type ThemeName = 'light' | 'dark';
export const themeOf = (name: ThemeName = 'light'): Theme => (name === 'dark' ? DARK : LIGHT);

const FONT = 'DejaVu Sans, Verdana, sans-serif';

/** What all charts share beside their marks. */
export const chartConfig = ({ quiet, ink, grid }: Theme): Record<string, unknown> => ({
  font: FONT,
  view: { stroke: null },
  axis: { domainColor: quiet, tickColor: quiet, labelColor: ink, gridColor: grid, labelFontSize: 11 },
  legend: { labelColor: ink, labelFontSize: 12, symbolSize: 120 },
});

/** The line above a chart: what it shows, and below it for which days. */
export const chartTitle = (text: string, subtitle: string, { quiet, ink }: Theme): Record<string, unknown> => ({
  text,
  subtitle,
  anchor: 'start',
  fontSize: 16,
  subtitleFontSize: 12,
  subtitleColor: quiet,
  color: ink,
  offset: 12,
});

/** A mark that nobody sees, behind names that the drawing library takes for something of its own. */
const UNSEEN = '\u200b';

/** A text of the data as it may stand in a chart. */
export const chartText = (text: string): string => `${shownText(text)}${text in Object.prototype ? UNSEEN : ''}`;
