import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

const root = new URL('../', import.meta.url);

/** The package's public subpaths, so that an example can import nothing else of it. */
export const publicPaths = (): { find: RegExp; replacement: string }[] => {
  const { exports } = JSON.parse(readFileSync(new URL('package.json', root), 'utf8')) as {
    exports: Record<string, { default: string } | string>;
  };
  return Object.entries(exports).flatMap(([path, target]) =>
    typeof target === 'string'
      ? []
      : [{ find: new RegExp(`^durchblick${path.slice(1)}$`), replacement: fileURLToPath(new URL(target.default, root)) }],
  );
};

export const demoFolder = fileURLToPath(new URL('demo/', root));

/** What all applications are built by. */
export const application = (root: string) => ({
  root,
  base: './',
  publicDir: demoFolder,
  resolve: { alias: publicPaths() },
  build: { target: 'es2022', chunkSizeWarningLimit: 2000 },
});
