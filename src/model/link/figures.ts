// Numbers that somebody vouches for (V4).
import { DurchblickError } from '../../errors.ts';
import type { Faults } from '../faults.ts';
import type { Figure } from '../model.ts';
import type { FigureInput, ModelInput } from '../schema.ts';

const NUMBER = /^[+-]?\d+(?:\.(\d+))?(?:e([+-]?\d+))?$/i;

/** How many decimals a number is written with; fewer than none where its last digits are zeros of an exponent. */
const decimalsOf = (text: string): number | undefined => {
  const match = NUMBER.exec(text.trim());
  return match ? (match[1]?.length ?? 0) - Number(match[2] ?? 0) : undefined;
};

const linkFigure = (input: FigureInput, index: number): Figure => {
  const { is: written, within, note, at, members, ...rest } = input;
  const isBlank = written === 'blank';
  const decimals = isBlank ? 0 : decimalsOf(String(written));
  if (decimals === undefined)
    throw new DurchblickError('bad-figure', `"is" is ${JSON.stringify(written)}`, {
      hint: 'It takes a number, 812345.67, in quotes where zeros at its end count ("812345.60"), or blank.',
    });
  const is = isBlank ? null : Number(written);
  return {
    index,
    cell: {
      ...rest,
      at: String(at),
      ...(members && { members: Object.fromEntries(Object.entries(members).map(([name, member]) => [name, String(member)])) }),
    } as Figure['cell'],
    is,
    // Half of the last digit shown.
    within: within ?? Number(`5e${-decimals - 1}`),
    note,
  };
};

export const linkFigures = ({ figures = [] }: ModelInput, faults: Faults): readonly Figure[] =>
  figures.flatMap((figure, k) => faults.attempt(['figures', k, 'is'], () => linkFigure(figure, k)) ?? []);
