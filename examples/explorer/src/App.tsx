import { Alert, Badge, Button, Group, List, Loader, Text, Title, useComputedColorScheme, useMantineColorScheme } from '@mantine/core';
import type { FiredAlert } from 'durchblick';
import { startTransition, useCallback, useDeferredValue, useEffect, useMemo, useRef, useState } from 'react';
import { call, Failed } from './engine/client.ts';
import { type Answered, type Fault, faultWords, type ModelFacts } from './engine/protocol.ts';
import { Answer } from './parts/Answer.tsx';
import { Chart } from './parts/Chart.tsx';
import { Controls } from './parts/Controls.tsx';
import { OwnFiles } from './parts/OwnFiles.tsx';
import { Readings } from './parts/Readings.tsx';
import { Share } from './parts/Share.tsx';
import { lanesOfAnswer, Strip } from './parts/Strip.tsx';
import { type Explained, Why } from './parts/Why.tsx';
import { type Cell, firstView, fromSearch, isByWindows, questionOf, toSearch, type View } from './state.ts';

/** The model beside the page; whoever serves it names another one here. */
const MODEL = document.querySelector<HTMLMetaElement>('meta[name="model"]')?.content ?? 'model.yaml';

const faultOf = (error: unknown): Fault => (error instanceof Failed ? error.fault : { code: 'fault', message: String(error) });

/** Runs one thing at a time; of those that come meanwhile only the last is run. */
const useLatest = <T,>(run: (value: T) => Promise<void>): ((value: T) => void) => {
  const busy = useRef(false);
  const next = useRef<{ value: T } | undefined>(undefined);
  return useCallback(
    (value: T) => {
      next.current = { value };
      if (busy.current) return;
      busy.current = true;
      void (async () => {
        while (next.current) {
          const { value: now } = next.current;
          next.current = undefined;
          await run(now);
        }
        busy.current = false;
      })();
    },
    [run],
  );
};

export const App = () => {
  const [model, setModel] = useState<ModelFacts>();
  const [view, setView] = useState<View>();
  const [result, setResult] = useState<Answered>();
  const [fault, setFault] = useState<Fault>();
  const [alerts, setAlerts] = useState<readonly FiredAlert[]>([]);
  const [explained, setExplained] = useState<Explained>();
  const [unfolded, setUnfolded] = useState(false);
  const scheme = useComputedColorScheme('light');
  const { setColorScheme } = useMantineColorScheme();

  const lastAsked = useRef('');
  const start = useCallback((found: ModelFacts, search: string | undefined) => {
    lastAsked.current = '';
    setModel(found);
    setView(search === undefined ? firstView(found) : fromSearch(search, found));
    setResult(undefined);
    setExplained(undefined);
  }, []);
  useEffect(() => {
    void (async () => {
      try {
        const base = new URL(MODEL, location.href);
        const response = await fetch(base);
        if (!response.ok) throw new Error(`there is no model at ${base.pathname} (${response.status})`);
        start(await call('open', await response.text(), base.href), location.search);
      } catch (error) {
        setFault(faultOf(error));
      }
    })();
  }, [start]);
  useEffect(() => {
    if (!model) return undefined;
    const back = (): void => setView(fromSearch(location.search, model));
    window.addEventListener('popstate', back);
    return () => window.removeEventListener('popstate', back);
  }, [model]);

  const answer = useLatest(
    useCallback(async (question: ReturnType<typeof questionOf>) => {
      lastAsked.current = JSON.stringify(question);
      try {
        setResult(await call('ask', question));
        setFault(undefined);
      } catch (error) {
        setFault(faultOf(error));
      }
    }, []),
  );
  const question = view && questionOf(view);
  const asked = JSON.stringify(question);
  useEffect(() => {
    // What a change has asked already is not asked again; what the way back or a new model brings is.
    if (asked !== undefined && asked !== lastAsked.current && JSON.parse(asked).show.length > 0) answer(JSON.parse(asked));
  }, [asked, answer]);

  const explain = useLatest(
    useCallback(async ({ own, cell, names, windows }: { own: View; cell: Cell; names: readonly string[]; windows: boolean }) => {
      try {
        const { where, asOf } = questionOf(own);
        setExplained(
          await call('explain', {
            reading: cell.reading,
            at: cell.period,
            ...(windows || own.by === '' ? {} : { by: own.by }),
            members: Object.fromEntries(names.map((name, k) => [name, cell.members[k] ?? ''])),
            ...(where ? { where } : {}),
            ...(asOf === undefined ? {} : { asOf }),
          }),
        );
      } catch {
        setExplained(undefined);
      }
    }, []),
  );
  const cellKey = JSON.stringify([view?.cell, asked]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a cell is explained again when the question changes under it
  useEffect(() => {
    if (!view?.cell || !model) setExplained(undefined);
    else if (view.cell.members.length !== view.per.length) setExplained(undefined);
    else explain({ own: view, cell: view.cell, names: view.per, windows: isByWindows(view, model) });
  }, [cellKey]);

  const asOf = view?.asOf;
  useEffect(() => {
    if (asOf === undefined || !model) return;
    call('alerts', asOf === '' ? undefined : asOf).then(setAlerts, () => setAlerts([]));
  }, [asOf, model]);

  const latest = useRef(view);
  latest.current = view;
  /** One function for good, so that parts that do not change need not be drawn again. */
  const change = useCallback(
    (more: Partial<View>, how: 'step' | 'slide' = 'step'): void => {
      if (!latest.current) return;
      const next = { ...latest.current, ...more };
      // Other members or readings have other cells.
      const cell = more.per || more.show || more.by !== undefined ? undefined : next.cell;
      const settled = { ...next, cell };
      latest.current = settled;
      // The worker counts while the page draws what was changed.
      const wanted = questionOf(settled);
      if (wanted.show.length > 0) answer(wanted);
      // Another unit or range: the answer, when it comes, is drawn before the controls. What steps from its own value,
      // as the slider does, is drawn at once.
      if (more.by === undefined && more.range === undefined) setView(settled);
      else startTransition(() => setView(settled));
      history[how === 'step' ? 'pushState' : 'replaceState'](null, '', toSearch(settled));
    },
    [answer],
  );
  const showReadings = useCallback((show: readonly string[]) => change({ show }), [change]);
  const chooseCell = useCallback((cell: Cell) => change({ cell }), [change]);
  /** The keyboard goes back to the number that was asked about. */
  const closeWhy = useCallback(() => {
    document.querySelector<HTMLElement>('#answer button.cell[aria-pressed="true"]')?.focus();
    change({ cell: undefined });
  }, [change]);
  /** The picture and what is below follow the table. */
  const drawn = useDeferredValue(result);
  const shared = useDeferredValue(view);
  const lanes = useMemo(() => (result ? lanesOfAnswer(result) : []), [result]);
  const openOwn = useCallback(
    (found: ModelFacts) => {
      start(found, undefined);
      history.pushState(null, '', location.pathname);
    },
    [start],
  );
  const readings = useMemo(() => view?.show ?? [], [view?.show]);

  if (!model || !view) {
    return (
      <main className="wait">
        {fault ? (
          <Alert color="red" role="alert" title="The model cannot be opened">
            {faultWords(fault)}
          </Alert>
        ) : (
          <Loader aria-label="opening the model" />
        )}
      </main>
    );
  }
  const inField = fault?.text !== undefined && view.show.some((text) => text.trim() === fault.text);
  return (
    <>
      <a className="skip" href="#answer">
        to the answer
      </a>
      <header>
        <Title order={1} size="h3">
          {model.name}
        </Title>
        <Group gap="xs">
          <OwnFiles onOpen={openOwn} />
          <Button size="xs" variant="default" onClick={() => setColorScheme(scheme === 'dark' ? 'light' : 'dark')}>
            {scheme === 'dark' ? 'Light' : 'Dark'}
          </Button>
        </Group>
      </header>
      <main>
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
            <Controls view={view} model={model} onChange={change} />
          </div>
        </aside>
        <div className="answer" data-stale={fault !== undefined && result !== undefined}>
          {fault && !inField ? (
            <Alert color="red" role="alert" title={fault.message} mb="sm">
              {fault.hint}
            </Alert>
          ) : null}
          {result ? (
            <>
              <p id="caption" role="status">
                {[result.caption, `as of ${result.asOf}`].filter((text) => text !== '').join(', ')}
              </p>
              <Strip lanes={lanes} asOf={result.asOf} locale={model.locale} />
              {alerts.length > 0 ? (
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
                      {limit.kind === 'below' || limit.kind === 'at-most' ? '▼' : '▲'} {label}:{' '}
                      {[...Object.values(members), period].join(', ')}
                    </Badge>
                  ))}
                </Group>
              ) : null}
              {result.rows.length === 0 ? (
                <Text>There are no rows for this question.</Text>
              ) : (
                <Chart result={drawn ?? result} theme={scheme} onCell={chooseCell} />
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
              <Share view={shared ?? view} model={MODEL} />
            </>
          ) : fault ? null : (
            <Loader aria-label="answering" />
          )}
        </div>
      </main>
    </>
  );
};
