import { Button, Group, MultiSelect, Popover, Select, Slider, Stack, Switch, Text, TextInput } from '@mantine/core';
import { DatePicker } from '@mantine/dates';
import { memo, useState } from 'react';
import type { OpenedModel } from '../engine/protocol.ts';
import { isByWindows, moreWords, questionOf, type View, viewOf } from '../state.ts';

const DAY = 86_400_000;
const dayOf = (iso: string): number => Math.round(Date.parse(iso) / DAY);
const isoOf = (day: number): string => new Date(day * DAY).toISOString().slice(0, 10);

export interface ControlsProps {
  readonly view: View;
  readonly model: OpenedModel;
  /** `step`: a move that can be gone back to; `slide`: one of many on the way. */
  readonly onChange: (change: Partial<View>, how: 'step' | 'slide') => void;
}

/** Renders a part again only when what it shows has changed: a slide must not wait for lists that stay as they are. */
const unchanged =
  (...keys: readonly (keyof View)[]) =>
  (a: ControlsProps, b: ControlsProps): boolean =>
    a.model === b.model && a.onChange === b.onChange && keys.every((key) => a.view[key] === b.view[key]);

const WHOLE = 'the range as a whole';

const Unit = memo(({ view, model, onChange }: ControlsProps) => {
  const windows = isByWindows(view, model);
  return (
    <>
      <Select
        label="By"
        data={[
          { group: 'units', items: [...model.units] },
          { group: 'or', items: ['windows', WHOLE] },
        ]}
        value={windows ? 'windows' : view.by === '' ? WHOLE : view.by}
        searchable
        selectFirstOptionOnChange
        // What is typed replaces the unit that stands there.
        onFocus={(event) => event.currentTarget.select()}
        onClick={(event) => event.currentTarget.select()}
        allowDeselect={false}
        onChange={(value) => {
          if (value === 'windows')
            onChange({ by: ['mtd', 'qtd', 'ytd'].filter((name) => model.windows.includes(name)).join(','), range: '' }, 'step');
          else if (value !== null) onChange({ by: value === WHOLE ? '' : value, ...(windows ? { range: 'ytd' } : {}) }, 'step');
        }}
      />
      {windows ? (
        <MultiSelect
          label="Windows"
          data={[...model.windows]}
          value={view.by.split(',')}
          searchable
          selectFirstOptionOnChange
          onChange={(names) => onChange({ by: names.join(',') }, 'step')}
        />
      ) : null}
    </>
  );
}, unchanged('by'));

const Range = memo(
  ({ view, model, onChange }: ControlsProps) => {
    const [opened, setOpened] = useState(false);
    const [days, setDays] = useState<[string | null, string | null]>([null, null]);
    const [typed, setTyped] = useState(view.range);
    const [shown, setShown] = useState(view.range);
    if (shown !== view.range) {
      setShown(view.range);
      setTyped(view.range);
    }
    if (isByWindows(view, model)) return null;
    const settle = (range: string): void => {
      if (range !== view.range) onChange({ range }, 'step');
    };
    return (
      <Group gap={6} align="flex-end" wrap="nowrap">
        <TextInput
          label="Range"
          className="grow"
          value={typed}
          list="ranges"
          onChange={(event) => setTyped(event.currentTarget.value)}
          onBlur={() => settle(typed.trim())}
          onKeyDown={(event) => event.key === 'Enter' && settle(typed.trim())}
        />
        <datalist id="ranges">
          {[...model.ownWindows, ...model.windows.filter((name) => !model.ownWindows.includes(name)), model.last.slice(0, 4)].map(
            (name) => (
              <option key={name} value={name} />
            ),
          )}
        </datalist>
        <Popover opened={opened} onChange={setOpened} position="bottom-end" withArrow shadow="md" trapFocus>
          <Popover.Target>
            <Button
              variant="default"
              px="xs"
              aria-label="choose the range from a list or a calendar"
              onClick={() => setOpened((is) => !is)}
            >
              ▾
            </Button>
          </Popover.Target>
          <Popover.Dropdown>
            <Stack gap="xs">
              <Select
                label="A window at the as-of date"
                data={[...model.windows]}
                value={null}
                searchable
                selectFirstOptionOnChange
                comboboxProps={{ withinPortal: false }}
                onChange={(name) => {
                  if (name !== null) settle(name);
                  setOpened(false);
                }}
              />
              <Text size="sm">or days</Text>
              <DatePicker
                type="range"
                value={days}
                defaultDate={model.asOf}
                minDate={model.first}
                onChange={(next) => {
                  const [from, to] = next;
                  setDays([from, to]);
                  if (from && to) {
                    settle(`${from}/${to}`);
                    setOpened(false);
                    setDays([null, null]);
                  }
                }}
              />
            </Stack>
          </Popover.Dropdown>
        </Popover>
      </Group>
    );
  },
  unchanged('by', 'range'),
);

const AsOf = ({ view, model, onChange }: ControlsProps) => {
  const [first, last] = [dayOf(model.first), Math.max(dayOf(model.last), dayOf(model.asOf))];
  const shown = view.asOf === '' ? model.asOf : view.asOf;
  const valid = /^\d{4}-\d\d-\d\d$/.test(shown);
  return (
    <Stack gap={2}>
      <Group justify="space-between" align="flex-end">
        <TextInput
          label="As of"
          type="date"
          value={valid ? shown : model.asOf}
          onChange={(event) => event.currentTarget.value !== '' && onChange({ asOf: event.currentTarget.value }, 'step')}
        />
        <Button variant="subtle" size="xs" disabled={view.asOf === ''} onClick={() => onChange({ asOf: '' }, 'step')}>
          latest
        </Button>
      </Group>
      <Slider
        thumbLabel="As-of date"
        min={first}
        max={last}
        value={valid ? dayOf(shown) : last}
        label={isoOf}
        onChange={(day) => onChange({ asOf: isoOf(day) }, 'slide')}
        onChangeEnd={(day) => onChange({ asOf: isoOf(day) }, 'step')}
      />
    </Stack>
  );
};

const Filters = memo(({ view, model, onChange }: ControlsProps) => {
  const filtered = Object.keys(view.where);
  const others = model.attributes.filter(({ name }) => !filtered.includes(name)).map(({ name }) => name);
  const without = (name: string) => Object.fromEntries(Object.entries(view.where).filter(([own]) => own !== name));
  return (
    <Stack gap="xs" role="group" aria-label="Filters">
      {filtered.map((name) => (
        <MultiSelect
          key={name}
          label={`only ${name}`}
          data={[...(model.attributes.find((attribute) => attribute.name === name)?.members ?? [])]}
          value={[...view.where[name]]}
          searchable
          selectFirstOptionOnChange
          clearable
          clearButtonProps={{ 'aria-label': `no filter on ${name}` }}
          onChange={(members) => onChange({ where: members.length === 0 ? without(name) : { ...view.where, [name]: members } }, 'step')}
        />
      ))}
      <Select
        label="Filter on"
        placeholder="choose an attribute"
        data={others}
        value={null}
        searchable
        selectFirstOptionOnChange
        onChange={(name) => name !== null && onChange({ where: { ...view.where, [name]: [] } }, 'step')}
      />
    </Stack>
  );
}, unchanged('where'));

const Split = memo(
  ({ view, model, onChange }: ControlsProps) => (
    <MultiSelect
      label="Split by"
      placeholder={view.per.length === 0 ? 'nothing' : undefined}
      data={model.attributes.map(({ name }) => name)}
      value={[...view.per]}
      searchable
      selectFirstOptionOnChange
      clearable
      clearButtonProps={{ 'aria-label': 'split by nothing' }}
      onChange={(per) => onChange({ per }, 'step')}
    />
  ),
  unchanged('per'),
);

/** Questions that the model has names for, and what the chosen one asks beside what the controls show. */
const Named = memo(({ view, model, onChange }: ControlsProps) => {
  const json = JSON.stringify(questionOf(view));
  const chosen = model.questions.find(({ question }) => JSON.stringify(questionOf(viewOf(question))) === json);
  const more = moreWords(view.more);
  return (
    <>
      {model.questions.length > 0 ? (
        <Select
          label="Named question"
          placeholder="choose one of the model"
          data={model.questions.map(({ name, label }) => ({ value: name, label }))}
          value={chosen?.name ?? null}
          searchable
          selectFirstOptionOnChange
          onChange={(name) => {
            const found = model.questions.find((own) => own.name === name);
            if (found) onChange(viewOf(found.question), 'step');
          }}
        />
      ) : null}
      {chosen?.description === undefined ? null : <Text size="sm">{chosen.description}</Text>}
      {more === '' ? null : (
        <Group gap="xs" wrap="nowrap">
          <Text size="sm">{more}</Text>
          <Button variant="subtle" size="compact-xs" onClick={() => onChange({ more: {} }, 'step')}>
            without
          </Button>
        </Group>
      )}
    </>
  );
});

/** A named question, unit, range, as-of date, splits and filters. */
export const Controls = (props: ControlsProps) => {
  const { view, onChange } = props;
  return (
    <Stack gap="sm">
      <Named {...props} />
      <Unit {...props} />
      <Range {...props} />
      <AsOf {...props} />
      <Split {...props} />
      <Filters {...props} />
      <Group gap="lg">
        <Switch label="totals" checked={view.totals} onChange={(event) => onChange({ totals: event.currentTarget.checked }, 'step')} />
        <Switch
          label="hide periods without data"
          checked={view.gaps === 'hide'}
          onChange={(event) => onChange({ gaps: event.currentTarget.checked ? 'hide' : 'show' }, 'step')}
        />
      </Group>
    </Stack>
  );
};
