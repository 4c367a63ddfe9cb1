// Writes what commands print into the documents that show them, and the pages of the model file and of the API.
import { spawnSync } from 'node:child_process';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { apiPage, modelPage } from './api.ts';

const ROOT = fileURLToPath(new URL('../', import.meta.url));
const DOCUMENTS = ['README.md', 'docs/guide.md'];

/** Runs a command of a document by its words; returns stdout and stderr as a terminal of 96 columns shows them. */
export type RunCommand = (words: readonly string[]) => string;

/** The words of a command as a shell splits them, without the program. */
const splitWords = (command: string): string[] =>
  [...command.replaceAll('\\\n', ' ').matchAll(/'([^']*)'|"([^"]*)"|(\S+)/g)]
    .map(([, single, double, plain]) => single ?? double ?? plain)
    .slice(command.startsWith('npx') ? 2 : 1);

/** A ```console fence with the output of its commands (behind `$`) as it is now. */
const renderFence = (body: string, run: RunCommand): string => {
  const commands = [...body.matchAll(/^\$ ((?:[^\n]*\\\n)*[^\n]*)$/gm)].map(([, command]) => command);
  return commands.map((command) => `$ ${command}\n${run(splitWords(command)).replaceAll(ROOT, './')}`).join('\n');
};

/** Every generated page, by name, as it should be now. */
export const renderPages = (run: RunCommand): ReadonlyMap<string, string> => {
  const read = (name: string): string => (existsSync(`${ROOT}${name}`) ? readFileSync(`${ROOT}${name}`, 'utf8') : '');
  const withOutputs = (text: string): string =>
    text.replace(/```console\n([\s\S]*?)```/g, (_, body: string) => `\`\`\`console\n${renderFence(body, run).trimEnd()}\n\`\`\``);
  return new Map([
    ...DOCUMENTS.map((name) => [name, withOutputs(read(name))] as const),
    ['docs/model-file.md', modelPage()],
    ['docs/api.md', apiPage()],
  ]);
};

const runAlone: RunCommand = (words) => {
  const script = 'exec "$0" "$@" 2>&1';
  const { stdout } = spawnSync('sh', ['-c', script, process.execPath, 'dist/cli/main.js', ...words], {
    cwd: ROOT,
    encoding: 'utf8',
    env: { ...process.env, COLUMNS: '96', NO_COLOR: '1' },
  });
  return stdout;
};

if (import.meta.url === pathToFileURL(process.argv[1] ?? '').href)
  for (const [name, text] of renderPages(runAlone)) writeFileSync(`${ROOT}${name}`, text);
