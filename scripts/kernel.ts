import { readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import makeWabt from 'wabt';

/** The text and where its assembled form goes: `npm run kernel` after a change, a test holds both together. */
const folder = new URL('../src/engines/memory/', import.meta.url);
export const KERNEL_MODULE = fileURLToPath(new URL('kernel.ts', folder));

/** Assembles the loops of a scan into the module that carries them as text: once for memory of one thread's own, once for shared memory. */
export const assembleKernel = async (): Promise<string> => {
  const wabt = await makeWabt();
  const text = readFileSync(new URL('kernel.wat', folder), 'utf8');
  const assembled = (name: string, source: string): string => {
    const { buffer } = wabt.parseWat('kernel.wat', source, { threads: true }).toBinary({});
    const lines =
      Buffer.from(buffer)
        .toString('base64')
        .match(/.{1,120}/g) ?? [];
    return `export const ${name} = [\n${lines.map((line) => `  '${line}',\n`).join('')}].join('');\n`;
  };
  const shared = text.replace('"memory") 0)', '"memory") 0 65536 shared)');
  return `/** kernel.wat, assembled by \`npm run kernel\`. */\n${assembled('KERNEL', text)}/** The same over memory that threads share. */\n${assembled('SHARED_KERNEL', shared)}`;
};

/** The look at CSV files, in the same way. */
const files = new URL('../src/files/', import.meta.url);
export const LOOK_MODULE = fileURLToPath(new URL('csv-look-kernel.ts', files));
export const assembleLook = async (): Promise<string> => {
  const wabt = await makeWabt();
  const { buffer } = wabt.parseWat('csv-look.wat', readFileSync(new URL('csv-look.wat', files), 'utf8'), {}).toBinary({});
  const lines =
    Buffer.from(buffer)
      .toString('base64')
      .match(/.{1,120}/g) ?? [];
  return `/** csv-look.wat, assembled by \`npm run kernel\`. */\nexport const LOOK = [\n${lines.map((line) => `  '${line}',\n`).join('')}].join('');\n`;
};

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  writeFileSync(KERNEL_MODULE, await assembleKernel());
  writeFileSync(LOOK_MODULE, await assembleLook());
}
