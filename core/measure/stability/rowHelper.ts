/**
 * A second thread for loops that work on rows: a loop is cut into parts, the caller takes them from the first on, the
 * helper from the last, until none is left. Both wait for each other by numbers in shared memory, so the caller needs no
 * turn of its event loop in between; a helper that is late, asleep or disturbed takes fewer parts.
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

/** Into so many parts a loop is cut at most. */
export const PARTS = 16;
/** Most arguments of a loop. */
const ARGUMENTS = 24;
/**
 * Integers of the control block, then the arguments of each part as doubles. `TICKET` is the number of the job with how
 * many of its parts are taken, so that who comes late takes none of the next job unawares.
 */
const [ASKED, DONE, LOOP, COUNT, READY, TICKET, CUT] = [0, 1, 2, 3, 4, 5, 6];
const ARGUMENTS_AT = 64;
const CONTROL_BYTES = ARGUMENTS_AT + PARTS * ARGUMENTS * 8;
const END = -1;
/** Jobs are numbered up to this and then from one on again. */
const JOBS = 2 ** 24;
/** So long no part of a loop takes, milliseconds. */
const LOST_MS = 20_000;
/** Milliseconds that a thread looks before it goes to sleep, and how often it looks before it looks at the clock. */
const AWAKE_MS = 2;
const LOOKS = 1000;

/** Names in an order that both threads have. */
function loopNames(loops: KernelExports): Loop[] {
  return (Object.keys(loops) as Loop[]).sort();
}

function run(loops: KernelExports, name: Loop, args: readonly number[]): number {
  return (loops[name] as (...a: readonly number[]) => number)(...args);
}

/**
 * Waits until a number is what it should be, or no longer what it should not.
 * @returns false when that takes too long
 */
function waitFor(control: Int32Array, at: number, good: (value: number) => boolean, timeMs = Infinity): boolean {
  for (;;) {
    // loops follow one another at once: a thread that sleeps in between wakes too late
    const from = performance.now();
    do for (let k = 0; k < LOOKS; k++) if (good(Atomics.load(control, at))) return true;
    while (performance.now() < from + AWAKE_MS);
    const seen = Atomics.load(control, at);
    if (good(seen)) return true;
    if (Atomics.wait(control, at, seen, timeMs) === 'timed-out') return false;
  }
}

/** Takes the next part of a job. @returns false when none is left, or the job is over */
function takePart(control: Int32Array, job: number): boolean {
  for (;;) {
    const ticket = Atomics.load(control, TICKET);
    const taken = ticket & (2 * PARTS - 1);
    if ((ticket - taken) / (2 * PARTS) !== job || taken >= control[CUT]) return false;
    if (Atomics.compareExchange(control, TICKET, ticket, ticket + 1) === ticket) return true;
  }
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
  private job = 0;
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

  /** Looks whether the helper has started, and wakes it, for loops are about to come. */
  meet(): void {
    const { control } = this;
    this.together = control !== null && Atomics.load(control, READY) !== 0;
    if (control && this.together) Atomics.notify(control, ASKED);
  }

  /**
   * Runs a loop over rows 0 … `rows` − 1.
   * @param step parts begin at multiples of it
   * @param argsOf its arguments for the rows from one on up to another, which are the part of that number, below PARTS
   * @param most parts it is cut into
   * @throws Error when the helper does not answer
   */
  rows(
    name: Loop,
    rows: number,
    step: number,
    argsOf: (from: number, to: number, part: number) => readonly number[],
    most = PARTS,
  ): void {
    const { control, args, bound } = this;
    const size = Math.ceil(rows / most / step) * step;
    const cut = Math.ceil(rows / size);
    if (!this.together || !control || !args || cut < 2) return void run(bound.loops, name, argsOf(0, rows, 0));
    const parts: (readonly number[])[] = [];
    for (let n = 0; n < cut; n++) {
      parts.push(argsOf(n * size, Math.min(rows, (n + 1) * size), n));
      args.set(parts[n], n * ARGUMENTS);
    }
    this.job = (this.job % (JOBS - 1)) + 1;
    control[LOOP] = this.names.indexOf(name);
    control[COUNT] = parts[0].length;
    control[CUT] = cut;
    Atomics.store(control, DONE, 0);
    Atomics.store(control, TICKET, this.job * 2 * PARTS);
    Atomics.store(control, ASKED, this.job);
    Atomics.notify(control, ASKED);
    let own = 0;
    while (takePart(control, this.job)) run(bound.loops, name, parts[own++]);
    if (!waitFor(control, DONE, (done) => done === cut - own, LOST_MS))
      throw new Error('The second measuring thread does not answer.');
  }

  /** Ends the helper. */
  close(): void {
    const { control } = this;
    if (!control) return;
    Atomics.store(control, ASKED, END);
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
    const last = seen;
    waitFor(state, ASKED, (asked) => asked !== last);
    seen = Atomics.load(state, ASKED);
    if (seen === END) return;
    for (let own = 1; takePart(state, seen); own++) {
      // what is taken cannot be over before it is done: the job's numbers stand still
      const at = (state[CUT] - own) * ARGUMENTS;
      run(loops, names[state[LOOP]], [...args.subarray(at, at + state[COUNT])]);
      Atomics.add(state, DONE, 1);
      Atomics.notify(state, DONE);
    }
  }
}
