// What pages without a framework share: they follow dark mode and the width of the window.
import type { ThemeName } from 'durchblick/chart';

const dark = window.matchMedia('(prefers-color-scheme: dark)');

export const themeNow = (): ThemeName => (dark.matches ? 'dark' : 'light');

/** The width that a chart may take in an element, in pixels: what is beside its drawing area is taken off. */
export const widthIn = (element: Element, beside = 70): number => Math.max(220, Math.round(element.clientWidth) - beside);

/** Draws again when the width of an element or the colours of the page change. */
export const followPage = (element: Element, draw: () => void): void => {
  let width = element.clientWidth;
  new ResizeObserver(() => {
    // A drawing changes the height; only the width asks for another one.
    if (Math.abs(element.clientWidth - width) < 8) return;
    width = element.clientWidth;
    draw();
  }).observe(element);
  dark.addEventListener('change', draw);
};
