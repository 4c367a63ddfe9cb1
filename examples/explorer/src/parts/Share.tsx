import { Button, CopyButton, Group, Tabs, Text, TextInput } from '@mantine/core';
import type { Question } from 'durchblick';
import { memo, useEffect, useState } from 'react';
import { call, Failed } from '../engine/client.ts';
import { commandOf, questionOf, type View } from '../state.ts';

const Copied = ({ text, what }: { readonly text: string; readonly what: string }) => (
  <>
    <pre className="code" data-what={what}>
      {text}
    </pre>
    <CopyButton value={text}>
      {({ copied, copy }) => (
        <Button size="xs" variant="light" onClick={copy}>
          {copied ? 'copied' : `copy the ${what}`}
        </Button>
      )}
    </CopyButton>
  </>
);

/** The question as YAML to be pasted into the model, under a name. */
const Named = ({ question }: { readonly question: Question }) => {
  const [name, setName] = useState('my-question');
  const [yaml, setYaml] = useState('');
  const isName = /^[a-z][a-z0-9-]*$/.test(name);
  const json = JSON.stringify(question);
  useEffect(() => {
    if (isName) void call('yaml', name, JSON.parse(json) as Question).then(setYaml);
  }, [name, isName, json]);
  return (
    <>
      <TextInput
        label="Name"
        mb="xs"
        value={name}
        error={isName ? undefined : 'Small letters, digits and hyphens, a letter first.'}
        onChange={(event) => setName(event.currentTarget.value)}
      />
      {isName && yaml !== '' ? <Copied text={yaml} what="YAML" /> : null}
    </>
  );
};

/** The question to take elsewhere: as a command, as JSON, as SQL, as a named question; and the answer as CSV. */
export const Share = memo(({ view, model }: { readonly view: View; readonly model: string }) => {
  const question = questionOf(view);
  const json = JSON.stringify(question, null, 2);
  const [sql, setSql] = useState<{ readonly of: string; readonly text: string }>();
  const [waits, setWaits] = useState(false);
  const makeSql = async (): Promise<void> => {
    setWaits(true);
    const text = await call('sql', question).catch((error: unknown) =>
      error instanceof Failed ? `-- ${error.fault.message}` : String(error),
    );
    setSql({ of: json, text });
    setWaits(false);
  };
  const download = async (): Promise<void> => {
    const csv = await call('csv', question);
    const url = URL.createObjectURL(new Blob([csv], { type: 'text/csv' }));
    const link = document.createElement('a');
    link.href = url;
    link.download = 'answer.csv';
    link.click();
    URL.revokeObjectURL(url);
  };
  return (
    <section aria-label="Take it elsewhere">
      <Tabs defaultValue="command" keepMounted={false}>
        <Group justify="space-between">
          <Tabs.List aria-label="The question as">
            <Tabs.Tab value="command">Command line</Tabs.Tab>
            <Tabs.Tab value="json">JSON</Tabs.Tab>
            <Tabs.Tab value="sql">SQL</Tabs.Tab>
            <Tabs.Tab value="named">Named question</Tabs.Tab>
          </Tabs.List>
          <Button size="xs" variant="light" onClick={() => void download()}>
            answer as CSV
          </Button>
        </Group>
        <Tabs.Panel value="command" pt="xs">
          <Copied text={commandOf(view, model)} what="command" />
        </Tabs.Panel>
        <Tabs.Panel value="json" pt="xs">
          <Copied text={json} what="JSON" />
        </Tabs.Panel>
        <Tabs.Panel value="named" pt="xs">
          <Named question={question} />
        </Tabs.Panel>
        <Tabs.Panel value="sql" pt="xs">
          {sql?.of === json ? (
            <Copied text={sql.text} what="SQL" />
          ) : (
            <>
              <Text size="sm" mb="xs">
                What DuckDB would be asked, over tables named like the sources. It is started in this page the first time.
              </Text>
              <Button size="xs" loading={waits} onClick={() => void makeSql()}>
                write the SQL
              </Button>
            </>
          )}
        </Tabs.Panel>
      </Tabs>
    </section>
  );
});
