import { existsSync, readdirSync, readFileSync, statSync } from 'node:fs';
import { basename, dirname, join, resolve } from 'node:path';
import { build, type Connect, preview } from 'vite';
import { folderFiles } from '../../src/files/node.ts';

/** Serves the explorer, built, for the demo or for the model named on the command line. It is built when its sources are newer. */
const root = import.meta.dirname;
const built = join(root, 'dist');
const configFile = join(root, 'vite.config.ts');

const newest = (path: string): number =>
  statSync(path).isDirectory() ? Math.max(0, ...readdirSync(path).map((name) => newest(join(path, name)))) : statSync(path).mtimeMs;
const isStale = (): boolean => {
  const page = join(built, 'index.html');
  if (!existsSync(page)) return true;
  const sources = [join(root, 'src'), join(root, 'index.html'), configFile, join(root, '../../dist')];
  return Math.max(...sources.filter(existsSync).map(newest)) > statSync(page).mtimeMs;
};

const fail = (message: string, hint: string): never => {
  process.stderr.write(`error: ${message}\n${hint}\n`);
  process.exit(2);
};
const modelOf = (given: string): string => {
  const path = resolve(given);
  const file = existsSync(path) && statSync(path).isDirectory() ? join(path, 'model.yaml') : path;
  return existsSync(file) ? file : fail(`there is no model file ${given}`, 'Give the path of a model file, for example demo/model.yaml.');
};

/** The page names the model, and its files come from the model's own folder, and from nowhere else. */
const servingModel = (file: string): Connect.NextHandleFunction => {
  const files = folderFiles(dirname(file));
  const page = readFileSync(join(built, 'index.html'), 'utf8').replace(
    /(<meta name="model" content=")[^"]*/,
    (_, before: string) => before + encodeURIComponent(basename(file)),
  );
  return async (request, response, next) => {
    const path = decodeURIComponent(new URL(request.url ?? '/', 'http://localhost').pathname).slice(1);
    if (path === '' || path === 'index.html') {
      response.setHeader('content-type', 'text/html; charset=utf-8');
      response.end(page);
      return;
    }
    if (path.startsWith('assets/')) {
      next();
      return;
    }
    try {
      response.end(await files(path));
    } catch {
      response.statusCode = 404;
      response.end();
    }
  };
};

const [given] = process.argv.slice(2);
const model = given === undefined ? undefined : modelOf(given);
if (isStale()) {
  process.stdout.write('Building the explorer …\n');
  await build({ configFile, logLevel: 'error', build: { outDir: built, emptyOutDir: true } });
}
const server = await preview({
  configFile,
  logLevel: 'error',
  build: { outDir: built },
  preview: { host: '127.0.0.1' },
  plugins:
    model === undefined
      ? []
      : [{ name: 'own-model', configurePreviewServer: ({ middlewares }) => void middlewares.use(servingModel(model)) }],
});
process.stdout.write(`The explorer is at ${server.resolvedUrls?.local[0]} (Ctrl+C ends it)\n`);
