// Answers kept by what they are answers to, up to so many bytes; what was not asked for longest goes.
import type { Content } from './formats.ts';

export interface Kept {
  readonly get: (name: string) => Content | undefined;
  readonly set: (name: string, content: Content) => void;
  readonly bytes: () => number;
}

/** What is sent in parts is made anew each time, and never kept. */
const sizeOf = (content: Content): number =>
  typeof content === 'string' ? 2 * content.length : content instanceof Uint8Array ? content.byteLength : Number.POSITIVE_INFINITY;

export const keptAnswers = (most: number): Kept => {
  const known = new Map<string, Content>();
  let bytes = 0;
  const drop = (name: string): void => {
    const content = known.get(name);
    if (content === undefined) return;
    known.delete(name);
    bytes -= sizeOf(content);
  };
  return {
    get: (name) => {
      const content = known.get(name);
      if (content !== undefined) {
        known.delete(name);
        known.set(name, content);
      }
      return content;
    },
    set: (name, content) => {
      if (sizeOf(content) > most / 4) return;
      drop(name);
      known.set(name, content);
      bytes += sizeOf(content);
      for (const oldest of known.keys()) {
        if (bytes <= most) break;
        drop(oldest);
      }
    },
    bytes: () => bytes,
  };
};
