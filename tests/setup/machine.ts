import { spawnSync } from 'node:child_process';
import { existsSync, readdirSync } from 'node:fs';

export const CHROMIUM = '/usr/bin/chromium';
const POSTGRES = '/usr/lib/postgresql';

/** Folder of PostgreSQL's server programs, newest version; undefined when there is none. */
export const postgresPrograms = (): string | undefined => {
  const versions = existsSync(POSTGRES) ? readdirSync(POSTGRES).sort((a, b) => Number(b) - Number(a)) : [];
  return versions.map((version) => `${POSTGRES}/${version}/bin`).find((folder) => existsSync(`${folder}/initdb`));
};

const run = (command: string, args: readonly string[]): boolean => {
  const { status } = spawnSync(command, args, {
    stdio: ['ignore', 'ignore', 'inherit'],
    env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
  });
  return status === 0;
};

const NEEDS = [
  { name: 'chromium', there: () => existsSync(CHROMIUM) },
  { name: 'postgresql', there: () => postgresPrograms() !== undefined },
];

/** Installs Debian's packages that the tests need where they are missing and this is root. */
export const installMissing = (): void => {
  const missing = NEEDS.filter(({ there }) => !there()).map(({ name }) => name);
  if (missing.length === 0) return;
  const names = missing.join(' and ');
  const manual = `Install Debian's ${missing.length === 1 ? 'package' : 'packages'} ${names} by hand and run the tests again.`;
  if (process.getuid?.() !== 0) throw new Error(`The tests need ${names}, and only root can install that. ${manual}`);
  process.stderr.write(`Installing ${names} for the tests …\n`);
  run('apt-get', ['-o', 'DPkg::Lock::Timeout=300', 'update', '-qq']);
  if (!run('apt-get', ['-o', 'DPkg::Lock::Timeout=300', 'install', '-y', '-qq', ...missing]) || !NEEDS.every(({ there }) => there()))
    throw new Error(`${names} could not be installed with apt-get. ${manual}`);
};
