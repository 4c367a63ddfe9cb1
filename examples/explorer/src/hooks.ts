// What the page knows: the model, the question, its answer, and why a number is what it is.
import type { FiredAlert } from 'durchblick';
import { startTransition, useCallback, useEffect, useRef, useState } from 'react';
import { call, Failed } from './engine/client.ts';
import { SERVER } from './engine/http.ts';
import type { Answered, Fault, OpenedModel } from './engine/protocol.ts';
import type { Explained } from './parts/Why.tsx';
import { type Cell, firstView, fromSearch, isByWindows, questionOf, toSearch, type View } from './state.ts';

/** The model beside the page; whoever serves it names another one here. */
export const MODEL = document.querySelector<HTMLMetaElement>('meta[name="model"]')?.content ?? 'model.yaml';

const faultOf = (error: unknown): Fault => (error instanceof Failed ? error.fault : { code: 'fault', message: String(error) });

/** Runs one thing at a time; of those that come meanwhile only the last is run. */
const useLatest = <T>(run: (value: T) => Promise<void>): ((value: T) => void) => {
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

/** The model beside the page, or one of own files; what is shown starts anew with it. */
export const useModel = () => {
  const [model, setModel] = useState<OpenedModel>();
  const [view, setView] = useState<View>();
  const [fault, setFault] = useState<Fault>();
  const start = useCallback((found: OpenedModel, search: string | undefined) => {
    setModel(found);
    setView(search === undefined ? firstView(found) : fromSearch(search, found));
  }, []);
  useEffect(() => {
    void (async () => {
      try {
        if (SERVER !== '') {
          start(await call('open', '', ''), location.search);
          return;
        }
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
  return { model, view, setView, fault, start };
};

/** The last answer, and what went wrong since; `answer` asks at once, the view's own question when nothing has. */
export const useAnswer = (model: OpenedModel | undefined, view: View | undefined) => {
  const [result, setResult] = useState<Answered>();
  const [fault, setFault] = useState<Fault>();
  const lastAsked = useRef('');
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
  const [known, setKnown] = useState(model);
  if (known !== model) {
    setKnown(model);
    setResult(undefined);
    lastAsked.current = '';
  }
  const asked = JSON.stringify(view && questionOf(view));
  useEffect(() => {
    // What a change has asked already is not asked again; what the way back or a new model brings is.
    if (asked !== undefined && asked !== lastAsked.current && JSON.parse(asked).show.length > 0) answer(JSON.parse(asked));
  }, [asked, answer]);
  return { result, fault, answer, asked };
};

/** Why the chosen number is what it is. */
export const useExplained = (model: OpenedModel | undefined, view: View | undefined, asked: string | undefined): Explained | undefined => {
  const [explained, setExplained] = useState<Explained>();
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
  return explained;
};

/** Alerts at the as-of date. */
export const useAlerts = (model: OpenedModel | undefined, asOf: string | undefined): readonly FiredAlert[] => {
  const [alerts, setAlerts] = useState<readonly FiredAlert[]>([]);
  useEffect(() => {
    if (asOf === undefined || !model) return;
    call('alerts', asOf === '' ? undefined : asOf).then(setAlerts, () => setAlerts([]));
  }, [asOf, model]);
  return alerts;
};

export type Change = (more: Partial<View>, how?: 'step' | 'slide') => void;

/** One function for good, so that parts that do not change need not be drawn again. */
export const useChange = (
  view: View | undefined,
  setView: (view: View) => void,
  answer: (question: ReturnType<typeof questionOf>) => void,
): Change => {
  const latest = useRef(view);
  latest.current = view;
  return useCallback(
    (more, how = 'step') => {
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
      history[how === 'step' ? 'pushState' : 'replaceState'](null, '', `${toSearch(settled)}${location.hash}`);
    },
    [answer, setView],
  );
};
