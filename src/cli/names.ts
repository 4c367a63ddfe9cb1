// `names`: what there is to ask for.
import { DurchblickError, suggest } from '../errors.ts';
import { loadModel } from '../files/node.ts';
import { checkTargets } from '../files/write.ts';
import { NAME_KINDS, NAMES_HEADER, type NamedEntry, type NameKind, nameCells, namesCsv, namesOf } from '../result/names.ts';
import { loadWords } from '../words/words.ts';
import { type EngineOptions, oneOf, withBook } from './book.ts';
import { modelFile } from './models.ts';
import { bold, dim, screenWidth, terminalTable, wrapped } from './output.ts';
import { deliver } from './write.ts';

export interface NamesOptions extends EngineOptions {
  readonly members?: boolean;
  readonly locale?: string;
  readonly format: string;
  readonly output?: string;
}

/** All names, and the members of every attribute of the data; those of days are the calendar's, as many as it is long. */
const withMembers = (path: string, options: NamesOptions): Promise<NamedEntry[]> =>
  withBook(
    path,
    async (book) => {
      const entries = namesOf(book.model, options.locale);
      const attributes = entries.filter(({ kind, builtIn }) => kind === 'attribute' && !builtIn);
      for (const { name: of } of attributes)
        entries.push(...(await book.members(of)).map((name) => ({ kind: 'member' as const, name, is: `member of ${of}`, of })));
      return entries;
    },
    { ...options, writes: [options.output] },
  );

/** Names without members: the data may be missing, or broken. */
const ofModel = async (path: string, { allow, output, locale }: NamesOptions): Promise<NamedEntry[]> => {
  const file = await modelFile(path);
  await checkTargets(output === undefined ? [] : [output], [file]);
  const { model } = await loadModel(file, { allow });
  await loadWords(locale ?? model.locale);
  return namesOf(model, locale);
};

/** The kind that a text names, in the singular or plural. */
const nameKind = (text: string): NameKind => {
  const found = NAME_KINDS.find((kind) => text === kind || text === `${kind}s`);
  if (found !== undefined) return found;
  const plurals = NAME_KINDS.map((kind) => `${kind}s`);
  throw new DurchblickError('bad-option', `there is no kind of names "${text}"`, { hint: suggest(text, plurals, 'kinds') });
};

/** Names of one kind as a table, without the columns that would be empty. */
const section = (kind: NameKind, entries: readonly NamedEntry[], leftOut: readonly string[] = []): string => {
  const rows = entries.map((entry) => nameCells(entry).slice(1));
  const titled = NAMES_HEADER.slice(1);
  const shown = titled.map((_, k) => k).filter((k) => !leftOut.includes(titled[k]) && rows.some((cells) => cells[k] !== ''));
  const titles = shown.map((k) => (k === 0 ? `${kind}s` : titled[k]));
  return terminalTable({
    header: titles,
    right: shown.map(() => false),
    rows: rows.map((cells) => ({ cells: shown.map((k) => cells[k]) })),
  });
};

const dimLine = (line: string): string => `${dim(line)}\n`;

/** What makes a table wide, and is told where one kind is asked for. */
const LONG = ['description', 'owner'];

/** A kind in short: the model's own names as a table, what every model has in one paragraph. */
const overview = (kind: NameKind, entries: readonly NamedEntry[]): string => {
  const own = entries.filter(({ builtIn }) => !builtIn);
  const builtIn = entries.filter((entry) => entry.builtIn).map(({ name }) => name);
  const listed = own.length > 0 ? section(kind, own, LONG) : `${bold(`${kind}s`)}\n`;
  return builtIn.length === 0
    ? listed
    : `${listed}${wrapped(`built in: ${builtIn.join(', ')}`, screenWidth())
        .map(dimLine)
        .join('')}`;
};

/** Lists what there is to ask for; without `members` from the model alone, whatever state its data are in. */
export const names = async (path: string, kind: string | undefined, options: NamesOptions): Promise<number> => {
  const format = oneOf(options.format, ['text', 'csv', 'json'], '--format');
  const only = kind === undefined ? undefined : nameKind(kind);
  const wantsMembers = options.members === true || only === 'member';
  const entries = wantsMembers ? await withMembers(path, options) : await ofModel(path, options);
  // Members belong to their attributes: who asks for those with them gets both.
  const shown = entries.filter((entry) => only === undefined || entry.kind === only || (entry.kind === 'member' && only === 'attribute'));
  if (format === 'json') await deliver(`${JSON.stringify(shown, null, 2)}\n`, options.output);
  else if (format === 'csv') await deliver(namesCsv(shown), options.output);
  else {
    const parts = NAME_KINDS.map((each) => [each, shown.filter((entry) => entry.kind === each)] as const).filter(
      ([, list]) => list.length > 0,
    );
    const text = parts.map(([each, list]) => (only === undefined ? overview(each, list) : section(each, list))).join('\n');
    await deliver(text === '' ? `no ${only}s\n` : text, options.output, 'words');
  }
  return 0;
};
