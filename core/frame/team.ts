/**
 * Threads that work on one frame together. Every thread runs the same program; work items are handed out by a shared
 * counter and phases end at a barrier. Results never depend on who took which item.
 *
 * Control words (32-bit, shared): cancel wish, stop decision, waiting threads, barrier generation, next item,
 * finished items, all items, a thread has failed.
 */

import { sharedBytes } from '@daxel/kernel/load';

const CANCEL = 0;
const STOP = 1;
const WAITING = 2;
const GENERATION = 3;
const NEXT = 4;
const DONE = 5;
const TOTAL = 6;
const FAILED = 7;
export const CONTROL_WORDS = 16;

/** Fresh control words for one frame, in shared memory where there is any. */
export function createControl(): Int32Array {
  return new Int32Array(sharedBytes(CONTROL_WORDS * 4));
}

/** Asks the threads to stop at the next item. Safe from any thread. */
export function requestCancel(control: Int32Array): void {
  Atomics.store(control, CANCEL, 1);
}

/** Share of the announced work that is finished, 0…1. */
export function workDone(control: Int32Array): number {
  const total = Atomics.load(control, TOTAL);
  return total > 0 ? Math.min(1, Atomics.load(control, DONE) / total) : 0;
}

export class Team {
  constructor(
    readonly index: number,
    readonly size: number,
    private readonly control: Int32Array,
  ) {}

  get leads(): boolean {
    return this.index === 0;
  }

  /** This thread's own of parts of so many numbers each that lie one behind the other. */
  part<T extends Uint8Array | Float32Array | Float64Array>(all: T, each: number): T {
    return all.subarray(this.index * each, (this.index + 1) * each) as T;
  }

  /**
   * Runs items 0…count−1 shared among the threads, then waits for all.
   * @returns false when the frame was cancelled: every thread gets the same answer
   */
  share(count: number, run: (item: number) => void, weight = 0): boolean {
    for (;;) {
      if (Atomics.load(this.control, CANCEL) === 1) break;
      const item = Atomics.add(this.control, NEXT, 1);
      if (item >= count) break;
      run(item);
      if (weight > 0) Atomics.add(this.control, DONE, weight);
    }
    return this.barrier();
  }

  /** Releases the other threads after this one has failed: it will not come to their barrier. */
  abort(): void {
    Atomics.store(this.control, FAILED, 1);
    Atomics.store(this.control, CANCEL, 1);
    Atomics.notify(this.control, GENERATION);
  }

  /** Says how many weighted items the frame has, for progress. */
  announce(total: number): void {
    if (this.leads) Atomics.store(this.control, TOTAL, total);
  }

  /** The last thread to arrive decides whether to go on, so that all agree. */
  private barrier(): boolean {
    const control = this.control;
    const generation = Atomics.load(control, GENERATION);
    if (Atomics.add(control, WAITING, 1) === this.size - 1) {
      Atomics.store(control, WAITING, 0);
      Atomics.store(control, NEXT, 0);
      Atomics.store(control, STOP, Atomics.load(control, CANCEL));
      Atomics.add(control, GENERATION, 1);
      Atomics.notify(control, GENERATION);
    } else {
      // most waits are short: a few spins save a trip through the system
      for (let spin = 0; spin < 2000 && Atomics.load(control, GENERATION) === generation; spin++);
      while (Atomics.load(control, GENERATION) === generation) {
        if (Atomics.load(control, FAILED) === 1) return false;
        Atomics.wait(control, GENERATION, generation, 250);
      }
    }
    return Atomics.load(control, STOP) === 0;
  }
}
