import { Alert, Button, FileButton, Group, List, Modal, Text, Textarea } from '@mantine/core';
import { useEffect, useState } from 'react';
import { call, Failed } from '../engine/client.ts';
import { type Draft, faultWords, type ModelFacts } from '../engine/protocol.ts';

type Files = readonly (readonly [string, Uint8Array])[];

const read = async (list: readonly File[]): Promise<Files> =>
  Promise.all(list.map(async (file) => [file.name, new Uint8Array(await file.arrayBuffer())] as const));
const said = (error: unknown): string => (error instanceof Failed ? faultWords(error.fault) : (error as Error).message);

const isModel = (name: string): boolean => /\.ya?ml$/i.test(name);

/**
 * Own files, dropped anywhere or chosen: a model with its files is opened; of files alone a model is drafted, to be
 * corrected and opened. Nothing leaves the page.
 */
export const OwnFiles = ({ onOpen }: { readonly onOpen: (model: ModelFacts) => void }) => {
  const [files, setFiles] = useState<Files>([]);
  const [draft, setDraft] = useState<Draft>();
  const [yaml, setYaml] = useState('');
  const [fault, setFault] = useState<string>();
  const [over, setOver] = useState(false);
  const take = async (list: readonly File[]): Promise<void> => {
    if (list.length === 0) return;
    setFault(undefined);
    try {
      const found = await read(list);
      const yamls = found.filter(([name]) => isModel(name));
      // Of several files the model is the one that includes the others.
      const roots = yamls.filter(([, bytes]) => /^includes:/m.test(new TextDecoder().decode(bytes)));
      const models = roots.length === 1 ? roots : yamls;
      if (models.length > 1) throw new Error(`${models.map(([name]) => name).join(' and ')} are two models: open one of them.`);
      if (models.length === 1) {
        const text = new TextDecoder().decode(models[0][1]);
        const others = found.filter((file) => file !== models[0]);
        // What is wrong with it can be corrected and tried again.
        setFiles(others);
        setDraft({ yaml: text, guesses: [] });
        setYaml(text);
        onOpen(await call('openFiles', text, others));
        setDraft(undefined);
        return;
      }
      const drafted = await call('draft', found);
      setFiles(found);
      setDraft(drafted);
      setYaml(drafted.yaml);
    } catch (error) {
      if (!list.some(({ name }) => isModel(name))) setDraft(undefined);
      setFault(said(error));
    }
  };
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
      void take([...event.dataTransfer.files]);
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
  const openIt = async (): Promise<void> => {
    try {
      onOpen(await call('openFiles', yaml, files));
      setDraft(undefined);
      setFault(undefined);
    } catch (error) {
      setFault(said(error));
    }
  };
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
        onClose={() => {
          setDraft(undefined);
          setFault(undefined);
        }}
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
            {draft.guesses.length > 0 ? (
              <>
                <Text size="sm">Guessed, so please look:</Text>
                <List size="sm" mb="sm">
                  {draft.guesses.map((guess) => (
                    <List.Item key={guess}>{guess}</List.Item>
                  ))}
                </List>
              </>
            ) : null}
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
