import { readFileSync } from 'node:fs';
import { dirname, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import { MODEL_KEYS } from './model-keys.ts';

const ROOT = fileURLToPath(new URL('../', import.meta.url));

/** Names that a declaration file exports, each with the file that declares it. */
const exportsOf = (file: string): Map<string, { readonly file: string; readonly name: string }> => {
  const text = readFileSync(file, 'utf8');
  const found = new Map<string, { file: string; name: string }>();
  for (const [, list, from] of text.matchAll(/export (?:type )?\{([^}]*)\}(?: from '([^']+)')?/g)) {
    const target = from === undefined ? file : resolve(dirname(file), from.replace(/\.(ts|js)$/, '.d.ts'));
    for (const part of list.split(',')) {
      const [name, as] = part
        .trim()
        .replace(/^type /, '')
        .split(' as ');
      if (name !== '') found.set(as ?? name, { file: target, name });
    }
  }
  for (const [, name] of text.matchAll(/^export (?:declare )?(?:abstract )?(?:interface|type|const|class|function) (\w+)/gm))
    found.set(name, { file, name });
  return found;
};

/** A declaration as it stands in its file, with its comment. */
const declarationOf = (file: string, name: string): { readonly comment: string; readonly code: string } => {
  const text = readFileSync(file, 'utf8');
  const start = new RegExp(`^(?:export )?(?:declare )?(?:interface|type|const|class|function) ${name}\\b`, 'm').exec(text);
  if (!start) {
    // Handed on from another file.
    const from = exportsOf(file).get(name);
    if (!from || from.file === file) throw new Error(`${file} does not declare ${name}`);
    return declarationOf(from.file, from.name);
  }
  let depth = 0;
  let end = start.index;
  for (; end < text.length; end++) {
    const character = text[end];
    if ('{(['.includes(character)) depth++;
    else if ('})]'.includes(character)) {
      depth--;
      if (depth === 0 && character === '}' && /^(?:export )?(?:declare )?(?:interface|class)/.test(start[0])) {
        end++;
        break;
      }
    } else if (character === ';' && depth === 0) {
      end++;
      break;
    }
  }
  const before = text.slice(0, start.index).trimEnd();
  const comment = before.endsWith('*/') ? before.slice(before.lastIndexOf('/**')) : '';
  const words = comment
    .replace(/^\/\*\*|\*\/$/g, '')
    .split('\n')
    .map((line) => line.replace(/^\s*\* ?/, '').trim())
    .join(' ')
    .trim();
  return { comment: words, code: text.slice(start.index, end).replace(/^export (?:declare )?/, '') };
};

/** Everything that each subpath of the package exports, from the declarations that are published. */
export const apiPage = (): string => {
  const { exports } = JSON.parse(readFileSync(`${ROOT}package.json`, 'utf8')) as { exports: Record<string, { types?: string } | string> };
  const lines = ['# API', '', 'Made from the published declarations by `npm run docs`; a test fails when it is out of date.', ''];
  for (const [path, target] of Object.entries(exports)) {
    if (typeof target === 'string' || target.types === undefined) continue;
    lines.push(`## \`durchblick${path.slice(1)}\``, '');
    const names = [...exportsOf(resolve(ROOT, target.types))].sort(([a], [b]) => (a.toLowerCase() < b.toLowerCase() ? -1 : 1));
    for (const [name, { file, name: declared }] of names) {
      const { comment, code } = declarationOf(file, declared);
      lines.push(`### ${name}`, '', ...(comment === '' ? [] : [comment, '']), '```ts', code.trim(), '```', '');
    }
  }
  return `${lines.join('\n').trimEnd()}\n`;
};

/** Every key of a model file, from the descriptions that editors show. */
export const modelPage = (): string => {
  const rows = Object.entries(MODEL_KEYS).map(([key, text]) => `| \`${key}\` | ${text.replaceAll('|', '\\|')} |`);
  return [
    '# The model file',
    '',
    'YAML or JSON. `*` stands for a name of your own; keys are kebab-case in files and camelCase in TypeScript, and both are',
    'accepted in both. [model.schema.json](../demo/model.schema.json) makes editors complete and check it. Unknown keys are',
    'errors with a suggestion. Made by `npm run docs`.',
    '',
    '| key | meaning |',
    '| --- | --- |',
    ...rows,
    '',
  ].join('\n');
};
