import { Alert, Button, FileButton, Group, List, Modal, Text, Textarea } from '@mantine/core';
import { useEffect, useState } from 'react';
import { call, Failed } from '../engine/client.ts';
import { type Draft, faultWords, type OpenedModel } from '../engine/protocol.ts';

type Files = readonly (readonly [string, Uint8Array])[];

const read = async (list: readonly File[]): Promise<Files> =>
  Promise.all(list.map(async (file) => [file.name, new Uint8Array(await file.arrayBuffer())] as const));
const said = (error: unknown): string => (error instanceof Failed ? faultWords(error.fault) : (error as Error).message);

const isModel = (name: string): boolean => /\.ya?ml$/i.test(name);

/** Files that are dropped anywhere on the page; whether some are over it. */
const useDropped = (take: (list: readonly File[]) => void): boolean => {
  const [over, setOver] = useState(false);
  useEffect(() => {
    const dragged = (event: DragEvent): void => {
      if (!event.dataTransfer?.types.includes('Files')) return;
      event.preventDefault();
      setOver(true);
    };
    const left = (event: DragEvent): void => {
      if (event.relatedTarget === null) setOver(false);
    };
    const dropped = (event: DragEvent): void => {
      if (!event.dataTransfer || event.dataTransfer.files.length === 0) return;
      event.preventDefault();
      setOver(false);
      take([...event.dataTransfer.files]);
    };
    document.addEventListener('dragover', dragged);
    document.addEventListener('dragleave', left);
    document.addEventListener('drop', dropped);
    return () => {
      document.removeEventListener('dragover', dragged);
      document.removeEventListener('dragleave', left);
      document.removeEventListener('drop', dropped);
    };
  });
  return over;
};

/** The model among files, if one is there: of several the one that includes the others. */
const modelAmong = (found: Files): Files[number] | undefined => {
  const yamls = found.filter(([name]) => isModel(name));
  const roots = yamls.filter(([, bytes]) => /^includes:/m.test(new TextDecoder().decode(bytes)));
  const models = roots.length === 1 ? roots : yamls;
  if (models.length > 1) throw new Error(`${models.map(([name]) => name).join(' and ')} are two models: open one of them.`);
  return models[0];
};

/** Files that were given, the model drafted of them or among them, and what is wrong with it. */
const useDraft = (onOpen: (model: OpenedModel) => void) => {
  const [files, setFiles] = useState<Files>([]);
  const [draft, setDraft] = useState<Draft>();
  const [yaml, setYaml] = useState('');
  const [fault, setFault] = useState<string>();
  const lay = (own: Files, made: Draft): void => {
    setFiles(own);
    setDraft(made);
    setYaml(made.yaml);
  };
  const openWith = async (text: string, own: Files): Promise<void> => {
    onOpen(await call('openFiles', text, own));
    setDraft(undefined);
    setFault(undefined);
  };
  const take = async (list: readonly File[]): Promise<void> => {
    if (list.length === 0) return;
    setFault(undefined);
    try {
      const found = await read(list);
      const model = modelAmong(found);
      if (!model) return lay(found, await call('draft', found));
      const text = new TextDecoder().decode(model[1]);
      const others = found.filter((file) => file !== model);
      // What is wrong with it can be corrected and tried again.
      lay(others, { yaml: text, guesses: [] });
      await openWith(text, others);
    } catch (error) {
      if (!list.some(({ name }) => isModel(name))) setDraft(undefined);
      setFault(said(error));
    }
  };
  const openIt = (): Promise<void> => openWith(yaml, files).catch((error: unknown) => setFault(said(error)));
  const forget = (): void => {
    setDraft(undefined);
    setFault(undefined);
  };
  return { files, draft, yaml, setYaml, fault, take, openIt, forget };
};

const Guesses = ({ guesses }: Pick<Draft, 'guesses'>) =>
  guesses.length === 0 ? null : (
    <>
      <Text size="sm">Guessed, so please look:</Text>
      <List size="sm" mb="sm">
        {guesses.map((guess) => (
          <List.Item key={guess}>{guess}</List.Item>
        ))}
      </List>
    </>
  );

/**
 * Own files, dropped anywhere or chosen: a model with its files is opened; of files alone a model is drafted, to be
 * corrected and opened. Nothing leaves the page.
 */
export const OwnFiles = ({ onOpen }: { readonly onOpen: (model: OpenedModel) => void }) => {
  const { files, draft, yaml, setYaml, fault, take, openIt, forget } = useDraft(onOpen);
  const over = useDropped((list) => void take(list));
  return (
    <>
      {over ? (
        <div className="drop" aria-hidden>
          Drop a model with its files, or files to draft a model from
        </div>
      ) : null}
      <FileButton
        multiple
        accept=".yaml,.yml,.csv,.parquet,.json,.ndjson,.arrow,.feather,.gz,.ics"
        onChange={(list) => void take(list)}
        inputProps={{ 'aria-label': 'your own files' }}
      >
        {(props) => (
          <Button {...props} size="xs" variant="default">
            Open your own files…
          </Button>
        )}
      </FileButton>
      <Modal
        opened={draft !== undefined || fault !== undefined}
        onClose={forget}
        size="xl"
        title={files.length > 0 && draft?.guesses.length === 0 ? 'Your model' : 'A first model of your files'}
        closeButtonProps={{ 'aria-label': 'close' }}
      >
        {fault ? (
          <Alert color="red" mb="sm" role="alert" title="This does not work yet">
            {fault}
          </Alert>
        ) : null}
        {draft ? (
          <>
            <Guesses guesses={draft.guesses} />
            <Textarea
              label="Model"
              autosize
              minRows={8}
              maxRows={22}
              spellCheck={false}
              value={yaml}
              onChange={(event) => setYaml(event.currentTarget.value)}
              classNames={{ input: 'mono' }}
            />
            <Group mt="sm">
              <Button onClick={() => void openIt()}>Open this model</Button>
            </Group>
          </>
        ) : null}
      </Modal>
    </>
  );
};
