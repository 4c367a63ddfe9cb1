// A model of several files: each says with `includes` which others belong to it, by paths and patterns relative to itself.
import { allOf, DurchblickError, placeText } from '../errors.ts';
import { collectFaults, type Faults } from '../model/faults.ts';
import type { Locate, Path } from '../model/keys.ts';
import type { Model } from '../model/model.ts';
import { type ModelPart, pathFrom } from '../model/parts.ts';
import { defineParts } from '../plan/define.ts';
import type { Files } from './files.ts';
import { readYaml } from './yaml-text.ts';

/** A file of a model. */
export interface PartFile {
  /** How messages name it. */
  readonly name: string;
  /** What tells it from every other file, however it is named. */
  readonly id: string;
  /** The folder of its paths as seen from that of the model; empty where they are the same. */
  readonly folder: string;
}

/** How the files of a model are come by. */
export interface PartFiles {
  /** The files that an entry of `includes` stands for, in order; rejects where there is none, or none that may be read. */
  readonly find: (written: string, from: PartFile) => Promise<readonly PartFile[]>;
  readonly read: (file: PartFile) => Promise<string>;
}

/** A file that was read, with the entry that it came by. */
export interface IncludedFile extends PartFile {
  /** `model.yaml:2:13`; undefined of the model's own file. */
  readonly by: string | undefined;
}

export interface ReadParts {
  readonly parts: readonly ModelPart[];
  readonly files: readonly IncludedFile[];
}

interface Entry {
  readonly written: string;
  readonly path: Path;
}

const entriesOf = (includes: unknown, locate: Locate): readonly Entry[] => {
  if (includes === undefined) return [];
  const list = Array.isArray(includes) ? includes : [includes];
  return list.map((written: unknown, k) => {
    const path = Array.isArray(includes) ? ['includes', k] : ['includes'];
    if (typeof written === 'string' && written !== '') return { written, path };
    throw new DurchblickError('bad-value', '"includes" holds something that is no path', {
      place: locate(path),
      hint: 'It takes a path or a list of paths: includes: [calendar.yaml, facts/*.yaml].',
    });
  });
};

/** Reads a model's file and all that belong to it, each once; what is wrong in any of them is told together. */
export const readParts = async (root: PartFile, files: PartFiles): Promise<ReadParts> => {
  const parts: ModelPart[] = [];
  const read: IncludedFile[] = [];
  const known = new Set<string>();
  const faults: DurchblickError[] = [];
  const visit = async (file: PartFile, by: string | undefined, way: readonly PartFile[]): Promise<void> => {
    const text = await files.read(file);
    known.add(file.id);
    read.push({ ...file, by });
    let yaml: ReturnType<typeof readYaml>;
    try {
      yaml = readYaml(text, file.name);
    } catch (error) {
      if (!(error instanceof DurchblickError)) throw error;
      faults.push(...error.all);
      return;
    }
    const { value, locate } = yaml;
    parts.push({ written: value, locate, folder: file.folder });
    const own = collectFaults(locate);
    const entries = own.attempt(['includes'], () => entriesOf(value.includes, locate)) ?? [];
    // All are looked for before any is read: what the model itself names is known to those that it includes.
    const found: (readonly PartFile[])[] = [];
    for (const { written, path } of entries) found.push(await files.find(written, file).catch((error) => fault(own, path, error)));
    for (const [k, { path }] of entries.entries()) await follow(found[k], path).catch((error) => fault(own, path, error));
    faults.push(...own.list);

    async function follow(list: readonly PartFile[], path: Path): Promise<void> {
      const place = placeText(locate(path)).replace(/: $/, '');
      for (const next of list) {
        // A pattern that matches the very file it stands in means the others.
        if (next.id === file.id && list.length > 1) continue;
        const at = way.findIndex(({ id }) => id === next.id);
        if (at >= 0) throw circle([...way.slice(at), next]);
        if (!known.has(next.id)) await visit(next, place, [...way, next]);
      }
    }
  };
  await visit(root, undefined, [root]);
  if (faults.length > 0) throw allOf(faults);
  return { parts, files: read };
};

/** Notes what is wrong with an entry; what is no fault of the model goes on. */
const fault = (faults: Faults, path: Path, error: unknown): readonly PartFile[] => {
  faults.attempt(path, () => {
    throw error;
  });
  return [];
};

const circle = (way: readonly PartFile[]): DurchblickError =>
  new DurchblickError('circular-includes', `the files include each other in a circle: ${way.map(({ name }) => name).join(' → ')}`, {
    hint: 'Take one of the includes out; what several files need stands in a file of its own.',
  });

const folderOfPath = (path: string): string => path.slice(0, Math.max(path.lastIndexOf('/'), 0));

/** The way from one folder to another: from `models` to `shared` it is `../shared`. */
const wayFrom = (from: string, to: string): string => {
  const steps = (path: string): string[] => path.split('/').filter((step) => step !== '');
  const [here, there] = [steps(from), steps(to)];
  const alike = here.findIndex((step, k) => there[k] !== step);
  const common = alike < 0 ? here.length : alike;
  return [...here.slice(common).map(() => '..'), ...there.slice(common)].join('/');
};

/**
 * Reads a model of one or several files through `files`, as engines read its sources: in a browser `urlFiles`, or what a
 * program has at hand. Paths are relative to the file that they stand in.
 */
export const readModel = async (path: string, files: Files): Promise<Model> => {
  const at = (name: string): PartFile => ({ name, id: name, folder: wayFrom(folderOfPath(path), folderOfPath(name)) });
  const { parts } = await readParts(at(path), {
    find: async (written, from) => {
      const name = pathFrom(folderOfPath(from.name), written);
      return ((await files.list?.(name)) ?? [name]).map(at);
    },
    read: async ({ name }) => new TextDecoder().decode(await files(name)),
  });
  return defineParts(parts);
};
