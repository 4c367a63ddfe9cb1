// Runs commands of the built command line one after another in one process, which spares each of them a cold start. A test
// holds what they print and end with to processes of their own.
import { createReadStream, openSync, writeSync } from 'node:fs';
import { createInterface } from 'node:readline';
import { pathToFileURL } from 'node:url';

const [main, requests, replies] = process.argv.slice(2);
const entry = pathToFileURL(main).href;
// In the order in which they are opened at the other end.
const asked = openSync(requests, 'r');
const answers = openSync(replies, 'w');

const caught = { stdout: [], stderr: [], output: [] };
for (const stream of ['stdout', 'stderr'])
  process[stream].write = (content, ...more) => {
    caught[stream].push(Buffer.from(content));
    caught.output.push(Buffer.from(content));
    more.find((one) => typeof one === 'function')?.();
    return true;
  };

const setEnvironment = (wanted) => {
  for (const name of Object.keys(process.env)) if (!(name in wanted)) delete process.env[name];
  Object.assign(process.env, wanted);
};

let run = 0;
for await (const line of createInterface({ input: createReadStream('', { fd: asked }) })) {
  const { args, env } = JSON.parse(line);
  for (const name of Object.keys(caught)) caught[name] = [];
  setEnvironment(env);
  process.argv = [process.execPath, main, ...args];
  process.exitCode = undefined;
  // The entry is evaluated anew for each command; what it imports stays.
  run++;
  await import(`${entry}?${run}`);
  const code = process.exitCode ?? 0;
  process.exitCode = undefined;
  for (const stream of [process.stdout, process.stderr]) stream.removeAllListeners('error');
  const texts = Object.fromEntries(Object.entries(caught).map(([name, chunks]) => [name, Buffer.concat(chunks).toString('utf8')]));
  const reply = Buffer.from(`${JSON.stringify({ code, ...texts })}\n`);
  for (let at = 0; at < reply.length; ) at += writeSync(answers, reply, at);
}
