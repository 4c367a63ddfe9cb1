import { readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import makeWabt from 'wabt';

/** The texts and where their assembled forms go: `npm run kernel` after a change, a test holds both together. */
const folder = new URL('../src/engines/memory/', import.meta.url);
const files = new URL('../src/files/', import.meta.url);
export const KERNEL_MODULE = fileURLToPath(new URL('kernel.ts', folder));
export const LOOK_MODULE = fileURLToPath(new URL('csv-look-kernel.ts', files));

/** An export that carries a text's assembled form as text itself. */
const assembled = async (name: string, source: string): Promise<string> => {
  const wabt = await makeWabt();
  const { buffer } = wabt.parseWat(`${name}.wat`, source, { threads: true }).toBinary({});
  const lines =
    Buffer.from(buffer)
      .toString('base64')
      .match(/.{1,120}/g) ?? [];
  return `export const ${name} = [\n${lines.map((line) => `  '${line}',\n`).join('')}].join('');\n`;
};

/** The loops of a scan: once for memory of one thread's own, once for shared memory. */
export const assembleKernel = async (): Promise<string> => {
  const text = readFileSync(new URL('kernel.wat', folder), 'utf8');
  const shared = text.replace('"memory") 0)', '"memory") 0 65536 shared)');
  return `/** kernel.wat, assembled by \`npm run kernel\`. */\n${await assembled('KERNEL', text)}/** The same over memory that threads share. */\n${await assembled('SHARED_KERNEL', shared)}`;
};

/** The look at CSV files. */
export const assembleLook = async (): Promise<string> =>
  `/** csv-look.wat, assembled by \`npm run kernel\`. */\n${await assembled('LOOK', readFileSync(new URL('csv-look.wat', files), 'utf8'))}`;

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  writeFileSync(KERNEL_MODULE, await assembleKernel());
  writeFileSync(LOOK_MODULE, await assembleLook());
}
