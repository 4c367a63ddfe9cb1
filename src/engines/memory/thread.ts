// The second thread itself.
import { parentPort } from 'node:worker_threads';
import { type Kernel, kernelOver } from './kernel-memory.ts';
import { type Program, runProgram, sharedClaim } from './scan-program.ts';

/** What the first thread sends: a program to run in a store's memory, or the number of a store that has closed. */
export type Message =
  | {
      readonly kind: 'run';
      readonly id: number;
      readonly room: number;
      readonly program: Program;
      readonly memory: WebAssembly.Memory;
      readonly rows: number;
      readonly counter: number;
    }
  | { readonly kind: 'forget'; readonly room: number };

const kernels = new Map<number, { readonly memory: WebAssembly.Memory; readonly kernel: Kernel }>();

/** The second thread: runs programs over the rows it is told to, in the memory it shares with the first. */
parentPort?.on('message', (message: Message) => {
  if (message.kind === 'forget') {
    kernels.delete(message.room);
    return;
  }
  const { id, room, program, memory, rows, counter } = message;
  const known = kernels.get(room) ?? { memory, kernel: kernelOver(memory) };
  kernels.set(room, known);
  runProgram(program, known.kernel, known.memory, rows, sharedClaim(known.memory, counter));
  parentPort?.postMessage({ id });
});
