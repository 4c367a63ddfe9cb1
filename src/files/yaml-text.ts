// YAML and JSON, which is part of it, as maps whose parts know their lines.
import { isMap, isNode, isPair, isScalar, LineCounter, type Node, parseDocument, stringify } from 'yaml';
import { allOf, DurchblickError, type TextPlace } from '../errors.ts';
import { kebab, type Locate, type Path } from '../model/keys.ts';
import type { Question } from '../model/schema.ts';

/** Deeper documents than this are no models. */
const MOST_ALIASES = 50;

/** What a text holds, and where its parts stand in it. */
export interface ReadYaml {
  readonly value: Readonly<Record<string, unknown>>;
  readonly locate: Locate;
}

/** Reads a map from YAML or JSON text; every fault has line and column. `what` says what the text is to hold. */
export const readYaml = (text: string, name: string, what = 'A model is a map with sources, facts and more.'): ReadYaml => {
  const lines = new LineCounter();
  const document = parseDocument(text, { lineCounter: lines, prettyErrors: false, uniqueKeys: true });
  const placeOf = (offset: number): TextPlace => {
    const { line, col } = lines.linePos(offset);
    return { file: name, line, column: col };
  };
  const faults = document.errors.map(
    ({ code, message, pos: [from] }) =>
      new DurchblickError('bad-yaml', yamlMessage(code, message, text, from), {
        place: placeOf(from),
        hint: message.includes('call stack') ? 'A model has a dozen levels at most.' : yamlHint(code),
      }),
  );
  if (faults.length > 0) throw allOf(faults);
  /** The key of the path's last step where there is one, else the nearest node around it. */
  const locate: Locate = (path: Path, of = 'value') => {
    let node: unknown = document.contents;
    let offset = isNode(node) ? (node.range?.[0] ?? 0) : 0;
    path.forEach((step, depth) => {
      if (isMap(node)) {
        const pair = node.items.find(
          (item) =>
            isPair(item) &&
            isScalar(item.key) &&
            [step, kebab(String(step))].some((key) => String((item.key as { value: unknown }).value) === String(key)),
        );
        if (!pair) {
          node = undefined;
          return;
        }
        const key = pair.key as Node;
        const value = pair.value as Node | null;
        // A fault in a value is shown at the value, a fault in a map at its key.
        const simple = of === 'value' && depth === path.length - 1 && isScalar(value) && value.range;
        offset = simple ? (value.range?.[0] ?? offset) : (key.range?.[0] ?? offset);
        node = value;
      } else if (isNode(node) && 'items' in node) {
        node = (node as unknown as { items: Node[] }).items[Number(step)];
        if (isNode(node)) offset = node.range?.[0] ?? offset;
      } else node = undefined;
    });
    return placeOf(offset);
  };
  let value: unknown;
  try {
    value = document.toJS({ maxAliasCount: MOST_ALIASES });
  } catch (error) {
    throw new DurchblickError('bad-yaml', yamlMessage('', (error as Error).message, text, 0), {
      place: { file: name, line: 1, column: 1 },
    });
  }
  if (typeof value !== 'object' || value === null || Array.isArray(value)) {
    throw new DurchblickError('bad-model', 'this is not a model', {
      place: { file: name, line: 1, column: 1 },
      hint: what,
    });
  }
  return { value: value as ReadYaml['value'], locate };
};

/** What the parser says, in words that name the place or the way out. */
const yamlMessage = (code: string, message: string, text: string, from: number): string => {
  if (code === 'DUPLICATE_KEY') return `the key ${keyAt(text, from)} stands twice`;
  // It goes down a call for each level.
  return message.includes('call stack') ? TOO_DEEP : message.split('\n')[0];
};
const TOO_DEEP = 'lists and maps are nested too deeply to be read';

/** A key as it stands in the text. */
const keyAt = (text: string, from: number): string => {
  const [key] = /"(?:[^"\\]|\\.)*"|'(?:[^']|'')*'|[^\s:,{}]+/y.exec(text.slice(from, from + 200)) ?? [''];
  return /^["']/.test(key) ? key : `"${key}"`;
};

const yamlHint = (code: string): string | undefined => {
  if (code === 'DUPLICATE_KEY') return 'Every key may stand once in a map.';
  if (code === 'TAB_AS_INDENT') return 'Indent with blanks, not with tabs.';
  if (code === 'BAD_INDENT' || code === 'MULTILINE_IMPLICIT_KEY')
    return 'Check the indentation, and quote texts with commas, colons, braces or brackets.';
  return 'Texts with commas, colons, braces or brackets are quoted in YAML.';
};

/** A value as YAML writes it on one line. */
export const inOneLine = (value: unknown): string => stringify(value, { collectionStyle: 'flow', lineWidth: 0 }).trim();

/** A question as a model takes it under a name: lines to be put below `questions:`. */
export const questionYaml = (name: string, question: Question): string => {
  const keys = Object.entries(question).filter(([, value]) => value !== undefined);
  const map = { questions: { [name]: Object.fromEntries(keys.map(([key, value]) => [kebab(key), value])) } };
  return stringify(map, { lineWidth: 0 });
};
