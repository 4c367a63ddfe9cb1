import { spawnSync } from 'node:child_process';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { apiPage, modelPage } from './api.ts';

/**
 * Writes what commands print into the documents that show them: every ```console fence has commands behind `$` and
 * their output below. The pages of the model file and of the API are made whole. With `--check` nothing is written, and a document that is out of date is an error.
 */
const ROOT = fileURLToPath(new URL('../', import.meta.url));
const DOCUMENTS = ['docs/guide.md'];

const output = (command: string): string => {
  const script = `npx() { shift; ${JSON.stringify(process.execPath)} dist/cli/main.js "$@"; }\ndurchblick() { ${JSON.stringify(process.execPath)} dist/cli/main.js "$@"; }\n${command} 2>&1`;
  const { stdout } = spawnSync('bash', ['-c', script], {
    cwd: ROOT,
    encoding: 'utf8',
    env: { ...process.env, COLUMNS: '96', NO_COLOR: '1' },
  });
  return stdout.replaceAll(ROOT, './');
};

/** A fence with the output of its commands as it is now. */
const refreshed = (body: string): string => {
  const commands = [...body.matchAll(/^\$ ((?:[^\n]*\\\n)*[^\n]*)$/gm)].map(([, command]) => command);
  return commands.map((command) => `$ ${command}\n${output(command)}`).join('\n');
};

const check = process.argv.includes('--check');
let stale = 0;
const withOutputs = (text: string): string =>
  text.replace(/```console\n([\s\S]*?)```/g, (_, body: string) => `\`\`\`console\n${refreshed(body).trimEnd()}\n\`\`\``);
const pages: readonly (readonly [name: string, make: (before: string) => string])[] = [
  ...DOCUMENTS.map((name) => [name, withOutputs] as const),
  ['docs/model-file.md', modelPage],
  ['docs/api.md', apiPage],
];
for (const [name, make] of pages) {
  const path = `${ROOT}${name}`;
  const before = existsSync(path) ? readFileSync(path, 'utf8') : '';
  const after = make(before);
  if (after === before) continue;
  stale++;
  if (check) process.stderr.write(`${name} shows what the commands no longer print: npm run docs\n`);
  else writeFileSync(path, after);
}
if (check && stale > 0) process.exitCode = 1;
