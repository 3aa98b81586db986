/** Tells a database that hangs while it is opened from one that a busy machine makes slow. */

/** A database that opens reads and writes all the time. */
const SILENT_MS = 10_000;
/** Until it first does, its program is loaded: that has nothing to do with what lies in the folder. */
const LOADING_MS = 120_000;
/** A machine that loads the program so many times as slowly may take so many times as long between two reads. */
const TIMES_LOADING = 4;
const LOOK_MS = 500;

/**
 * Calls back once when a thread has not touched a file for too long while it opens the database.
 * @param life counted up at every read and write @param now milliseconds
 */
export function watchLife(life: Int32Array, gone: () => void, now = () => performance.now()): NodeJS.Timeout {
  const started = now();
  let [seen, at, loading] = [0, started, 0];
  const timer = setInterval(() => {
    const count = Atomics.load(life, 0);
    if (count !== seen) {
      if (seen === 0) loading = now() - started;
      [seen, at] = [count, now()];
      return;
    }
    const patience = seen === 0 ? LOADING_MS : Math.max(SILENT_MS, TIMES_LOADING * loading);
    if (now() - at <= patience) return;
    clearInterval(timer);
    gone();
  }, LOOK_MS);
  return timer;
}
