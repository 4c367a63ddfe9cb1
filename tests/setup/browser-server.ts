import { type BrowserServer, chromium } from 'playwright-core';
import { CHROMIUM } from './machine.ts';

const FLAGS = [
  ...'--no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking'.split(' '),
  ...'--disable-component-update --disable-sync'.split(' '),
];

/** One Chromium for a run; each test file connects to it and has a context of its own. */
export const launchBrowser = (): Promise<BrowserServer> => chromium.launchServer({ executablePath: CHROMIUM, args: FLAGS });
