import {
  Alert,
  Badge,
  Button,
  Group,
  List,
  Loader,
  NativeSelect,
  PasswordInput,
  Text,
  Title,
  useComputedColorScheme,
  useMantineColorScheme,
} from '@mantine/core';
import type { FiredAlert } from 'durchblick';
import { useCallback, useDeferredValue, useEffect, useMemo, useState } from 'react';
import { keepKey, SERVER, type ServedName, servedModels } from './engine/http.ts';
import { type Answered, type Fault, faultWords, type OpenedModel } from './engine/protocol.ts';
import { type Change, MODEL, useAlerts, useAnswer, useChange, useExplained, useModel } from './hooks.ts';
import { Answer } from './parts/Answer.tsx';
import { Chart } from './parts/Chart.tsx';
import { Controls } from './parts/Controls.tsx';
import { OwnFiles } from './parts/OwnFiles.tsx';
import { Readings } from './parts/Readings.tsx';
import { Share } from './parts/Share.tsx';
import { lanesOfAnswer, Strip } from './parts/Strip.tsx';
import { type Explained, Why } from './parts/Why.tsx';
import type { Cell, View } from './state.ts';

const Alerts = ({ alerts }: { readonly alerts: readonly FiredAlert[] }) =>
  alerts.length === 0 ? null : (
    <Group gap={6} mb="xs" role="list" aria-label="alerts">
      {alerts.map(({ alert, label, period, members, limit }) => (
        <Badge
          key={`${alert} ${period} ${Object.values(members).join()}`}
          role="listitem"
          variant="outline"
          className="alert"
          tt="none"
          radius="sm"
        >
          {limit.kind === 'below' || limit.kind === 'at-most' ? '▼' : '▲'} {label}: {[...Object.values(members), period].join(', ')}
        </Badge>
      ))}
    </Group>
  );

interface AnswerPaneProps {
  readonly model: OpenedModel;
  readonly view: View;
  readonly result: Answered;
  readonly alerts: readonly FiredAlert[];
  readonly explained: Explained | undefined;
  readonly onChange: Change;
}

const AnswerPane = ({ model, view, result, alerts, explained, onChange }: AnswerPaneProps) => {
  const scheme = useComputedColorScheme('light');
  const chooseCell = useCallback((cell: Cell) => onChange({ cell }), [onChange]);
  /** The keyboard goes back to the number that was asked about. */
  const closeWhy = useCallback(() => {
    document.querySelector<HTMLElement>('#answer button.cell[aria-pressed="true"]')?.focus();
    onChange({ cell: undefined });
  }, [onChange]);
  /** The picture and what is below follow the table. */
  const drawn = useDeferredValue(result);
  const shared = useDeferredValue(view);
  const lanes = useMemo(() => lanesOfAnswer(result), [result]);
  return (
    <>
      <p id="caption" role="status">
        {[result.caption, `as of ${result.asOf}`].filter((text) => text !== '').join(', ')}
      </p>
      <Strip lanes={lanes} asOf={result.asOf} locale={model.locale} />
      <Alerts alerts={alerts} />
      {result.rows.length === 0 ? (
        <Text>There are no rows for this question.</Text>
      ) : (
        <Chart result={drawn} theme={scheme} onCell={chooseCell} />
      )}
      <Answer result={result} cell={view.cell} onCell={chooseCell} />
      {result.notes.length > 0 ? (
        <section id="notes" aria-label="Notes">
          <List size="sm">
            {result.notes.map(({ message }) => (
              <List.Item key={message}>{message}</List.Item>
            ))}
          </List>
        </section>
      ) : null}
      {explained && view.cell ? <Why explained={explained} cell={view.cell} locale={model.locale} onClose={closeWhy} /> : null}
      <Share view={shared} model={MODEL} />
    </>
  );
};

interface FormProps {
  readonly model: OpenedModel;
  readonly view: View;
  readonly fault: Fault | undefined;
  readonly onChange: Change;
}

const Form = ({ model, view, fault, onChange }: FormProps) => {
  const [unfolded, setUnfolded] = useState(false);
  const showReadings = useCallback((show: readonly string[]) => onChange({ show }), [onChange]);
  const readings = useMemo(() => view.show, [view.show]);
  return (
    <aside aria-label="Question">
      {/* On narrow pages the form folds away, so that the answer is seen. */}
      <Button className="fold" variant="default" size="xs" fullWidth aria-expanded={unfolded} onClick={() => setUnfolded((is) => !is)}>
        {unfolded ? 'Hide the question' : 'Change the question'}
      </Button>
      <div className="form" data-unfolded={unfolded}>
        <Title order={2} size="h5" mb={4}>
          Readings
        </Title>
        <Readings show={readings} model={model} fault={fault} onChange={showReadings} />
        <Title order={2} size="h5" mt="md" mb={4}>
          Question
        </Title>
        <Controls view={view} model={model} onChange={onChange} />
      </div>
    </aside>
  );
};

/** The models of a server, where there are several. */
const Served = () => {
  const [models, setModels] = useState<readonly ServedName[]>([]);
  useEffect(() => {
    if (SERVER !== '') servedModels().then(setModels, () => undefined);
  }, []);
  const [shown = ''] = [models.find(({ name }) => name === decodeURIComponent(location.hash.slice(1))), models[0]].flatMap(
    (one) => one?.name ?? [],
  );
  return models.length < 2 ? null : (
    <NativeSelect
      size="xs"
      aria-label="model"
      value={shown}
      data={models.map(({ name, title }) => ({ value: name, label: title }))}
      onChange={(event) => {
        // Another model has other names: its page starts anew.
        history.pushState(null, '', `${location.pathname}#${encodeURIComponent(event.currentTarget.value)}`);
        location.reload();
      }}
    />
  );
};

const Header = ({ name, onOpen }: { readonly name: string; readonly onOpen: (model: OpenedModel) => void }) => {
  const scheme = useComputedColorScheme('light');
  const { setColorScheme } = useMantineColorScheme();
  return (
    <header>
      <Title order={1} size="h3">
        {name}
      </Title>
      <Group gap="xs">
        <Served />
        <OwnFiles onOpen={onOpen} />
        <Button size="xs" variant="default" onClick={() => setColorScheme(scheme === 'dark' ? 'light' : 'dark')}>
          {scheme === 'dark' ? 'Light' : 'Dark'}
        </Button>
      </Group>
    </header>
  );
};

/** Where a server wants a key: it goes no further than this tab. */
const KeyForm = () => {
  const [key, setKey] = useState('');
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        keepKey(key);
        location.reload();
      }}
    >
      <PasswordInput
        label="Key"
        description="Whoever serves these models has given you one."
        value={key}
        onChange={(event) => setKey(event.currentTarget.value)}
      />
      <Button type="submit" mt="sm" disabled={key === ''}>
        Open
      </Button>
    </form>
  );
};

const Waiting = ({ fault }: { readonly fault: Fault | undefined }) => (
  <main className="wait">
    {fault?.code === 'no-key' ? (
      <KeyForm />
    ) : fault ? (
      <Alert color="red" role="alert" title="The model cannot be opened">
        {faultWords(fault)}
      </Alert>
    ) : (
      <Loader aria-label="opening the model" />
    )}
  </main>
);

export const App = () => {
  const { model, view, setView, fault: closed, start } = useModel();
  const { result, fault, answer, asked } = useAnswer(model, view);
  const explained = useExplained(model, view, asked);
  const alerts = useAlerts(model, view?.asOf);
  const change = useChange(view, setView, answer);
  const openOwn = useCallback(
    (found: OpenedModel) => {
      start(found, undefined);
      history.pushState(null, '', location.pathname);
    },
    [start],
  );
  if (!model || !view) return <Waiting fault={closed} />;
  const inField = fault?.text !== undefined && view.show.some((text) => text.trim() === fault.text);
  return (
    <>
      <a className="skip" href="#answer">
        to the answer
      </a>
      <Header name={model.name} onOpen={openOwn} />
      <main>
        <Form model={model} view={view} fault={fault} onChange={change} />
        <div className="answer" data-stale={fault !== undefined && result !== undefined}>
          {fault && !inField ? (
            <Alert color="red" role="alert" title={fault.message} mb="sm">
              {fault.hint}
            </Alert>
          ) : null}
          {result ? (
            <AnswerPane model={model} view={view} result={result} alerts={alerts} explained={explained} onChange={change} />
          ) : fault ? null : (
            <Loader aria-label="answering" />
          )}
        </div>
      </main>
    </>
  );
};
