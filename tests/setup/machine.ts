import { spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';

/** What the tests need beside npm's packages: a Chromium. Installed from Debian when it is missing and this is root. */
const CHROMIUM = '/usr/bin/chromium';

const run = (command: string, args: readonly string[]): boolean => {
  const { status } = spawnSync(command, args, {
    stdio: ['ignore', 'ignore', 'inherit'],
    env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
  });
  return status === 0;
};

export const setup = (): void => {
  if (existsSync(CHROMIUM)) return;
  const manual = 'Install Debian\'s package "chromium" by hand and run the tests again.';
  if (process.getuid?.() !== 0) throw new Error(`The browser tests need ${CHROMIUM}, and only root can install it. ${manual}`);
  process.stderr.write('Installing Chromium for the browser tests …\n');
  run('apt-get', ['update', '-qq']);
  if (!run('apt-get', ['install', '-y', '-qq', 'chromium']) || !existsSync(CHROMIUM))
    throw new Error(`Chromium could not be installed with apt-get. ${manual}`);
};
