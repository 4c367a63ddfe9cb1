import { existsSync, statSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { createServer } from 'vite';

/** Serves the explorer for the demo, or for the model named on the command line. */
const [given] = process.argv.slice(2);
if (given !== undefined) {
  const path = resolve(given);
  const file = existsSync(path) && statSync(path).isDirectory() ? join(path, 'model.yaml') : path;
  if (!existsSync(file)) {
    process.stderr.write(`error: there is no model file ${given}\nGive the path of a model file, for example demo/model.yaml.\n`);
    process.exit(2);
  }
  process.env.DURCHBLICK_MODEL = file;
}
const server = await createServer({ configFile: join(import.meta.dirname, 'vite.config.ts'), server: { host: '127.0.0.1' } });
await server.listen();
process.stdout.write(`The explorer is at ${server.resolvedUrls?.local[0]} (Ctrl+C ends it)\n`);
