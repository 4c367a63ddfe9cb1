import { ActionIcon, Group, Stack, Table, Text, Title } from '@mantine/core';
import type { ExplainedPart, Explanation } from 'durchblick';
import { useEffect, useRef } from 'react';
import type { Cell } from '../state.ts';
import { lanesOfParts, Strip } from './Strip.tsx';

export interface Explained {
  readonly found: Explanation;
  readonly words: readonly (readonly string[])[];
}

const MOST_COLUMNS = 9;

const Rows = ({ rows }: Pick<ExplainedPart, 'rows'>) => {
  if (!rows || rows.first.length === 0) return null;
  const columns = rows.columns.slice(0, MOST_COLUMNS);
  return (
    <section className="scroll" aria-label="first rows" tabIndex={0}>
      <Table className="rows" verticalSpacing={2} horizontalSpacing="xs" withTableBorder>
        <Table.Thead>
          <Table.Tr>
            {columns.map((name) => (
              <Table.Th key={name} scope="col">
                {name}
              </Table.Th>
            ))}
          </Table.Tr>
        </Table.Thead>
        <Table.Tbody>
          {rows.first.map((row, r) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: rows have nothing else to be told apart by
            <Table.Tr key={r}>
              {columns.map((name, k) => (
                <Table.Td key={name} ta={typeof row[k] === 'number' ? 'right' : 'left'}>
                  {row[k] ?? ''}
                </Table.Td>
              ))}
            </Table.Tr>
          ))}
        </Table.Tbody>
      </Table>
    </section>
  );
};

const plain = (value: number | null, locale: string): string =>
  value === null ? 'blank' : new Intl.NumberFormat(locale, { maximumFractionDigits: 6 }).format(value);

/** Why a number is what it is (V1): words first, then parts, days and rows. */
export const Why = ({
  explained,
  cell,
  locale,
  onClose,
}: {
  readonly explained: Explained;
  readonly cell: Cell;
  readonly locale: string;
  readonly onClose: () => void;
}) => {
  const { found, words } = explained;
  const place = useRef<HTMLElement>(null);
  const key = JSON.stringify(cell);
  // Whoever asks why is taken there, by the eye and by the keyboard; what changes under a cell that stays moves nothing.
  // biome-ignore lint/correctness/useExhaustiveDependencies: another cell is another question
  useEffect(() => {
    place.current?.scrollIntoView({ block: 'nearest' });
    place.current?.focus({ preventScroll: true });
  }, [key]);
  const members = Object.entries(found.members);
  return (
    <section id="why" aria-label="Why this number" ref={place} tabIndex={-1}>
      <Group justify="space-between" align="flex-start" wrap="nowrap">
        <Title order={2} size="h4">
          Why {found.reading} is {found.text === '' ? 'blank' : found.text} in {found.period}
          {members.map(([name, text]) => `, ${name} ${text}`)}
        </Title>
        <ActionIcon variant="subtle" color="gray" aria-label="close the explanation" onClick={onClose}>
          ×
        </ActionIcon>
      </Group>
      <Text size="sm" c="var(--quiet)">
        {[found.caption, `as of ${found.asOf}`].filter((text) => text !== '').join(', ')}
        {found.formula ? `; ${found.reading} = ${found.formula}` : ''}
      </Text>
      <Strip lanes={lanesOfParts(found.parts)} asOf={found.asOf} locale={locale} />
      <Stack gap="sm" mt="sm" component="ol" className="parts">
        {found.parts.map((part, k) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: parts stand in one order and have no other name
          <li key={k} style={{ marginInlineStart: `${part.depth * 1.1}rem` }}>
            <code>{part.expression}</code>
            {part.comparison ? ` at the time of ${part.comparison.name}` : ''} = <b>{plain(part.value, locale)}</b>
            {words[k].length > 0 ? (
              <ul>
                {words[k].map((line) => (
                  <li key={line}>{line}</li>
                ))}
              </ul>
            ) : null}
            <Rows rows={part.rows} />
          </li>
        ))}
      </Stack>
    </section>
  );
};
