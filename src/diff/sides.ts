// Two sides of a comparison, and answers over every mix of them.
import { open } from '../book/open.ts';
import type { Book } from '../book/types.ts';
import type { Engine } from '../engines/engine.ts';
import type { Model } from '../model/model.ts';
import type { Question } from '../model/schema.ts';
import { defineParts } from '../plan/define.ts';
import type { ResultJson } from '../result/types.ts';
import { type DefinitionChange, mixedInput } from './definitions.ts';
import type { RowChange } from './rows.ts';

/** One side of a comparison: a model, its data, and what is seen of them. */
export interface Side {
  readonly model: Model;
  /** An engine over the data of this side, for any model that reads the same sources. */
  readonly engine: (model: Model) => Engine;
  /** What tells the data of this side from those of the other: a folder, an address. */
  readonly data: string;
  readonly asOf?: string;
  readonly knownBy?: string;
}

/** What may differ between two sides, each by itself. */
export const FACTORS = ['definition', 'calendar', 'data', 'asOf', 'knownBy'] as const;
export type Factor = (typeof FACTORS)[number];
/** Which side each factor is taken from. */
type Mix = Readonly<Record<Factor, 0 | 1>>;

export const mixOf = (side: 0 | 1, flipped?: Factor): Mix => {
  const mix = { definition: side, calendar: side, data: side, asOf: side, knownBy: side };
  return flipped === undefined ? mix : { ...mix, [flipped]: 1 - side };
};

/** Books over every mix of two sides, opened when they are asked. */
export const booksOf = (sides: readonly [Side, Side]) => {
  const known = new Map<string, Promise<Book>>();
  const modelOf = ({ definition, calendar, data }: Mix): Model => {
    if (definition === calendar && calendar === data) return sides[data].model;
    const written = mixedInput(sides[definition].model.input, sides[calendar].model.input, sides[data].model.input);
    return defineParts([{ written, locate: () => undefined }]);
  };
  const bookOf = (mix: Mix): Promise<Book> => {
    const key = `${mix.definition}${mix.calendar}${mix.data}`;
    const book =
      known.get(key) ??
      (async () => {
        const model = modelOf(mix);
        return (await open(model, sides[mix.data].engine(model))) as Book;
      })();
    known.set(key, book);
    return book;
  };
  return {
    ask: async (mix: Mix, question: Question): Promise<ResultJson> => {
      const book = await bookOf(mix);
      const knownBy = sides[mix.knownBy].knownBy ?? question.knownBy;
      const asked: Question = {
        ...question,
        asOf: sides[mix.asOf].asOf ?? question.asOf ?? sides[mix.asOf].model.asOf,
        ...(knownBy === undefined ? {} : { knownBy }),
      };
      return (await book.ask(asked as never)).toJson();
    },
    close: async (): Promise<void> => {
      for (const book of known.values()) await (await book.catch(() => undefined))?.close();
    },
  };
};

export type Books = ReturnType<typeof booksOf>;

/** What a comparison is made in. */
export interface World {
  readonly sides: readonly [Side, Side];
  readonly books: Books;
  /** Factors in which the sides differ. */
  readonly differ: readonly Factor[];
  readonly definitions: readonly DefinitionChange[];
  readonly rows: readonly RowChange[] | undefined;
}
