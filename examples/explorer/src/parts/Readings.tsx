import { ActionIcon, Button, Combobox, Group, Popover, Select, Stack, Text, TextInput, useCombobox } from '@mantine/core';
import { memo, useState } from 'react';
import { completions } from '../complete.ts';
import { type Fault, faultWords, type OpenedModel } from '../engine/protocol.ts';

interface FieldProps {
  readonly value: string;
  readonly label: string;
  readonly model: OpenedModel;
  readonly fault: Fault | undefined;
  readonly onChange: (text: string) => void;
  readonly onRemove: (() => void) | undefined;
}

/** A text that is wider than its place is moved to where the caret is. */
const toCaret =
  (share: number) =>
  (place: HTMLElement | null): void => {
    if (place) place.scrollLeft = share * place.scrollWidth - place.clientWidth / 2;
  };

/** Where in a reading something is wrong, and what would be right. */
const errorOf = (fault: Fault | undefined): React.ReactNode => {
  if (!fault) return undefined;
  const { text, at } = fault;
  return (
    <>
      {text !== undefined && at !== undefined ? (
        <code className="caret" ref={toCaret(at / text.length)}>
          {text}
          {'\n'}
          {' '.repeat(at)}^
        </code>
      ) : null}
      {faultWords(fault)}
    </>
  );
};

const Field = ({ value, label, model, fault, onChange, onRemove }: FieldProps) => {
  const [typed, setTyped] = useState(value);
  const [shown, setShown] = useState(value);
  const combobox = useCombobox({ onDropdownClose: () => combobox.resetSelectedOption() });
  // A reading that changed elsewhere (the builder, the way back) replaces what was typed.
  if (shown !== value) {
    setShown(value);
    setTyped(value);
  }
  const options = completions(typed, model);
  const settle = (text: string): void => {
    setTyped(text);
    setShown(text.trim());
    onChange(text.trim());
  };
  return (
    <Combobox
      store={combobox}
      withinPortal={false}
      onOptionSubmit={(word) => {
        const chosen = options.find((option) => option.word === word);
        if (chosen) settle(chosen.text);
        combobox.closeDropdown();
      }}
    >
      <Group gap={4} align="flex-start" wrap="nowrap">
        <Combobox.Target>
          <TextInput
            className="reading"
            aria-label={label}
            value={typed}
            error={errorOf(fault)}
            spellCheck={false}
            autoComplete="off"
            onFocus={() => combobox.openDropdown()}
            onBlur={() => {
              combobox.closeDropdown();
              if (typed.trim() !== value) settle(typed);
            }}
            onKeyDown={(event) => {
              if (event.key === 'Enter' && combobox.getSelectedOptionIndex() < 0) {
                settle(typed);
                combobox.closeDropdown();
              }
            }}
            onChange={(event) => {
              const text = event.currentTarget.value;
              setTyped(text);
              combobox.openDropdown();
            }}
          />
        </Combobox.Target>
        {onRemove ? (
          <ActionIcon variant="subtle" color="gray" size="lg" aria-label={`remove ${label}: ${value}`} onClick={onRemove}>
            ×
          </ActionIcon>
        ) : null}
      </Group>
      <Combobox.Dropdown hidden={options.length === 0}>
        <Combobox.Options mah={220} style={{ overflowY: 'auto' }} aria-label="what can stand here">
          {options.map(({ word, kind }) => (
            <Combobox.Option key={`${kind} ${word}`} value={word}>
              <Group justify="space-between" wrap="nowrap">
                <span>{word}</span>
                <Text size="xs" c="var(--quiet)">
                  {kind}
                </Text>
              </Group>
            </Combobox.Option>
          ))}
        </Combobox.Options>
      </Combobox.Dropdown>
    </Combobox>
  );
};

const FORMS = ['value', 'difference', 'change', 'ratio', 'index'];

/** Puts a reading together from lists, for those who do not type. */
const Builder = ({ model, onAdd }: { readonly model: OpenedModel; readonly onAdd: (text: string) => void }) => {
  const [opened, setOpened] = useState(false);
  const [what, setWhat] = useState<string | null>(model.measures[0]);
  const [role, setRole] = useState<string | null>(null);
  const [window, setWindow] = useState<string | null>(null);
  const [comparison, setComparison] = useState<string | null>(null);
  const [form, setForm] = useState<string | null>('change');
  const roles = what ? (model.rolesOf[what] ?? []) : [];
  const text = [
    what,
    ...(role ? [`on ${role}`] : []),
    ...(window ? [`over ${window}`] : []),
    ...(comparison ? [`vs ${comparison}${form && form !== 'value' ? ` as ${form}` : ''}`] : []),
  ].join(' ');
  const inside = { comboboxProps: { withinPortal: false } };
  return (
    <Popover opened={opened} onChange={setOpened} position="bottom-start" width={280} withArrow trapFocus shadow="md">
      <Popover.Target>
        <Button variant="light" size="xs" onClick={() => setOpened((is) => !is)}>
          Build a reading…
        </Button>
      </Popover.Target>
      <Popover.Dropdown aria-label="Build a reading">
        <Stack gap="xs">
          <Select
            label="what"
            selectFirstOptionOnChange
            data={[
              { group: 'measures', items: [...model.measures] },
              { group: 'formulas', items: [...model.formulas] },
            ]}
            value={what}
            onChange={(next) => {
              setWhat(next);
              setRole(null);
            }}
            searchable
            allowDeselect={false}
            {...inside}
          />
          <Select
            label="by which date"
            placeholder="its own"
            data={[...roles]}
            value={role}
            onChange={setRole}
            disabled={roles.length < 2}
            clearable
            {...inside}
          />
          <Select
            label="over which window"
            selectFirstOptionOnChange
            placeholder="the period itself"
            data={[...model.windows]}
            value={window}
            onChange={setWindow}
            searchable
            clearable
            {...inside}
          />
          <Select
            label="compared with"
            placeholder="nothing"
            data={[...model.comparisons]}
            value={comparison}
            onChange={setComparison}
            clearable
            {...inside}
          />
          <Select label="shown as" data={FORMS} value={form} onChange={setForm} disabled={!comparison} allowDeselect={false} {...inside} />
          <Text size="sm" ff="monospace">
            {text}
          </Text>
          <Button
            onClick={() => {
              onAdd(text);
              setOpened(false);
            }}
          >
            Add this reading
          </Button>
        </Stack>
      </Popover.Dropdown>
    </Popover>
  );
};

export interface ReadingsProps {
  readonly show: readonly string[];
  readonly model: OpenedModel;
  readonly fault: Fault | undefined;
  readonly onChange: (show: readonly string[]) => void;
}

/** The readings of the question: a field each, with completion and errors in place. */
export const Readings = memo(({ show, model, fault, onChange }: ReadingsProps) => {
  const at = fault?.text === undefined ? -1 : show.findIndex((text) => text.trim() === fault.text);
  return (
    <Stack gap="xs" role="group" aria-label="Readings">
      {show.map((text, k) => (
        <Field
          // biome-ignore lint/suspicious/noArrayIndexKey: a field is its place, whatever stands in it
          key={k}
          value={text}
          label={`reading ${k + 1}`}
          model={model}
          fault={at === k ? fault : undefined}
          onChange={(next) => onChange(show.map((old, i) => (i === k ? next : old)))}
          onRemove={show.length > 1 ? () => onChange(show.filter((_, i) => i !== k)) : undefined}
        />
      ))}
      <Group gap="xs">
        <Button variant="light" size="xs" onClick={() => onChange([...show, ''])}>
          Type another
        </Button>
        <Builder model={model} onAdd={(text) => onChange([...show.filter((old) => old !== ''), text])} />
      </Group>
    </Stack>
  );
});
