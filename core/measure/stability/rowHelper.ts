/**
 * A second thread for loops that work on rows: it takes one half of each while the caller does the other. Both wait for
 * each other by numbers in shared memory, so the caller needs no turn of its event loop in between.
 */
import { adoptKernel, bindKernel, kernelModule, type BoundKernel, type KernelExports } from '@daxel/kernel/load';

/** What the helping thread is given; it calls `serveRows` with it. */
export interface HelperStart {
  memory: WebAssembly.Memory;
  kernel: WebAssembly.Module;
  control: SharedArrayBuffer;
}
/** Starts a thread that does so. */
export type SpawnHelper = (start: HelperStart) => { terminate(): void };

export type Loop = keyof KernelExports;

/** Integers of the control block, then its arguments as doubles. */
const [ASKED, DONE, LOOP, COUNT, READY] = [0, 1, 2, 3, 4];
const ARGUMENTS_AT = 64;
const CONTROL_BYTES = ARGUMENTS_AT + 24 * 8;
const END = -1;
/** So long no half of a loop takes, milliseconds. */
const LOST_MS = 20_000;
/** Looks before a thread goes to sleep, about half a millisecond. */
const SPINS = 30_000;

/** Names in an order that both threads have. */
function loopNames(loops: KernelExports): Loop[] {
  return (Object.keys(loops) as Loop[]).sort();
}

function run(loops: KernelExports, name: Loop, args: readonly number[]): number {
  return (loops[name] as (...a: readonly number[]) => number)(...args);
}

/** Waits until a number is no longer what it was. @returns false when that takes too long */
function changed(control: Int32Array, at: number, from: number, timeMs = Infinity): boolean {
  // loops follow one another at once: a thread that sleeps in between wakes too late
  for (let k = 0; k < SPINS; k++) if (Atomics.load(control, at) !== from) return true;
  while (Atomics.load(control, at) === from) if (Atomics.wait(control, at, from, timeMs) === 'timed-out') return false;
  return true;
}

/** Whether a helper that was started so takes part by now. */
export function isReady({ control }: HelperStart): boolean {
  return Atomics.load(new Int32Array(control), READY) !== 0;
}

/** Shares loops between the caller and a helper; without one the caller does all. */
export class RowTeam {
  private readonly names: Loop[];
  private readonly control: Int32Array | null = null;
  private readonly args: Float64Array | null = null;
  private readonly thread: { terminate(): void } | null = null;
  private asked = 0;
  private together = false;

  constructor(
    private readonly bound: BoundKernel,
    readonly spawn?: SpawnHelper,
  ) {
    this.names = loopNames(bound.loops);
    const kernel = kernelModule();
    if (!spawn || !kernel) return;
    const control = new SharedArrayBuffer(CONTROL_BYTES);
    this.control = new Int32Array(control, 0, ARGUMENTS_AT / 4);
    this.args = new Float64Array(control, ARGUMENTS_AT);
    this.thread = spawn({ memory: bound.memory, kernel, control });
  }

  /** Looks whether the helper has started; what both have bound before this is to be bound again. */
  meet(): void {
    this.together = this.control !== null && Atomics.load(this.control, READY) !== 0;
  }

  /**
   * Runs a loop over rows 0 … `rows` − 1.
   * @param step halves begin at multiples of it
   * @param argsOf its arguments for the rows from one on up to another
   * @throws Error when the helper does not answer
   */
  rows(name: Loop, rows: number, step: number, argsOf: (from: number, to: number) => readonly number[]): void {
    const middle = Math.ceil(rows / 2 / step) * step;
    const { control, args } = this;
    if (!this.together || !control || !args || middle >= rows) return void run(this.bound.loops, name, argsOf(0, rows));
    const theirs = argsOf(middle, rows);
    args.set(theirs);
    control[LOOP] = this.names.indexOf(name);
    control[COUNT] = theirs.length;
    Atomics.store(control, ASKED, ++this.asked);
    Atomics.notify(control, ASKED);
    run(this.bound.loops, name, argsOf(0, middle));
    if (!changed(control, DONE, this.asked - 1, LOST_MS))
      throw new Error('The second measuring thread does not answer.');
  }

  /** Ends the helper. */
  close(): void {
    const { control } = this;
    if (!control) return;
    control[LOOP] = END;
    Atomics.store(control, ASKED, ++this.asked);
    Atomics.notify(control, ASKED);
    this.thread?.terminate();
  }
}

/** What the helping thread does from its start on until it is told to end. */
export function serveRows({ memory, kernel, control }: HelperStart): void {
  adoptKernel(kernel);
  const loops = bindKernel(memory);
  const names = loopNames(loops);
  const state = new Int32Array(control, 0, ARGUMENTS_AT / 4);
  const args = new Float64Array(control, ARGUMENTS_AT);
  Atomics.store(state, READY, 1);
  for (let seen = 0; ;) {
    changed(state, ASKED, seen);
    seen = Atomics.load(state, ASKED);
    if (state[LOOP] === END) return;
    run(loops, names[state[LOOP]], [...args.subarray(0, state[COUNT])]);
    Atomics.store(state, DONE, seen);
    Atomics.notify(state, DONE);
  }
}
