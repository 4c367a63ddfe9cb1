import { type ChildProcess, spawn } from 'node:child_process';
import { ROOT } from './cli.ts';

export interface ServedProcess {
  readonly url: string;
  readonly child: ChildProcess;
  readonly log: () => string;
  /** Ends it as a service manager does; the exit code. */
  readonly stop: () => Promise<number | null>;
  readonly get: (path: string, headers?: Readonly<Record<string, string>>) => Promise<Response>;
}

/** Serves models as a user does: a process of its own, at a free port. */
export const serving = (...args: readonly string[]): Promise<ServedProcess> => servedBy('dist/cli/main.js', ROOT, args);

/** The same with a command line that is installed elsewhere. */
export const servedBy = async (command: string, cwd: string, args: readonly string[]): Promise<ServedProcess> => {
  const child = spawn(process.execPath, [command, 'serve', ...args, '--port', '0'], { cwd, stdio: ['ignore', 'pipe', 'pipe'] });
  let [out, log] = ['', ''];
  child.stderr.on('data', (text) => void (log += text));
  const over = new Promise<number | null>((done) => child.once('exit', done));
  const url = await new Promise<string>((resolve, reject) => {
    child.stdout.on('data', (text) => {
      out += text;
      const found = /^(http:\/\/\S+) answers/m.exec(out)?.[1];
      if (found) resolve(found);
    });
    child.once('exit', (code) => reject(new Error(`it ended with ${code}: ${log}`)));
  });
  return {
    url,
    child,
    log: () => log,
    stop: () => {
      child.kill('SIGTERM');
      return over;
    },
    get: (path, headers = {}) => fetch(`${url}${path}`, { headers }),
  };
};
