import { writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import * as z from 'zod/mini';
import { kebab } from '../src/model/keys.ts';
import { partSchema } from '../src/model/schema.ts';
import { MODEL_KEYS } from './model-keys.ts';

/** The published schema of model files: `npm run schema` after a change, a test holds it to the code. */
export const SCHEMA_FILE = fileURLToPath(new URL('../demo/model.schema.json', import.meta.url));

type Node = {
  [key: string]: unknown;
  properties?: Record<string, Node>;
  anyOf?: Node[];
  items?: Node;
  additionalProperties?: Node | boolean;
};

/** Gives fixed keys the spelling of files and every key its description; what has none is an error of this script. */
const dressed = (node: Node, path: readonly string[], used: Set<string>, as: 'itself' | 'option' = 'itself'): Node => {
  const result: Node = { ...node };
  const key = path.join('.');
  if (as === 'itself' && MODEL_KEYS[key] !== undefined) {
    used.add(key);
    result.description = MODEL_KEYS[key];
  }
  if (node.properties) {
    result.properties = Object.fromEntries(
      Object.entries(node.properties).map(([name, property]) => {
        const own = [...path, kebab(name)];
        if (MODEL_KEYS[own.join('.')] === undefined && !own.includes('format') && !own.includes('where'))
          throw new Error(`model-keys.ts says nothing of ${own.join('.')}`);
        return [kebab(name), dressed(property, own, used)];
      }),
    );
    if (Array.isArray(node.required)) result.required = node.required.map((name) => kebab(String(name)));
  }
  if (typeof node.additionalProperties === 'object') result.additionalProperties = dressed(node.additionalProperties, [...path, '*'], used);
  if (typeof node.items === 'object' && (node.items as Node).properties) result.items = dressed(node.items as Node, path, used, 'option');
  if (node.anyOf) result.anyOf = node.anyOf.map((option) => dressed(option, path, used, 'option'));
  delete result.propertyNames;
  if (node.propertyNames && (node.propertyNames as Node).enum) result.propertyNames = node.propertyNames;
  return result;
};

export const modelJsonSchema = (): string => {
  const used = new Set<string>();
  const { $schema, ...rest } = z.toJSONSchema(partSchema, { io: 'input' }) as Node;
  const schema = {
    $schema,
    title: 'Durchblick model',
    description: 'What the numbers of a company mean, said once.',
    ...dressed(rest as Node, [], used),
  };
  const idle = Object.keys(MODEL_KEYS).filter((key) => !used.has(key));
  if (idle.length > 0) throw new Error(`model-keys.ts speaks of keys that do not exist: ${idle.join(', ')}`);
  return `${JSON.stringify(schema, null, 2)}\n`;
};

if (process.argv[1] === fileURLToPath(import.meta.url)) writeFileSync(SCHEMA_FILE, modelJsonSchema());
