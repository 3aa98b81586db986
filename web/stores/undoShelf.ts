/** What can be undone, kept for this tab over a reload. */

export interface Steps<State> {
  /** The state that the steps lead to: they are of use while it stands. */
  now: State;
  undo: State[];
  redo: State[];
}

const PREFIX = 'daxel-undo ';
/** Characters at most: the oldest steps make way. */
const MOST = 1_000_000;

export function keepSteps<State>(shotId: string, steps: Steps<State>): void {
  let { undo, redo } = steps;
  for (;;) {
    const text = JSON.stringify({ now: steps.now, undo, redo });
    if (text.length <= MOST || undo.length + redo.length === 0) {
      try {
        sessionStorage.setItem(PREFIX + shotId, text);
      } catch {
        // without storage undo lives as long as the page
      }
      return;
    }
    undo = undo.slice(Math.ceil(undo.length / 2));
    redo = redo.slice(Math.ceil(redo.length / 2));
  }
}

/** @returns null when there are none, or they cannot be read */
export function stepsOf<State>(shotId: string): Steps<State> | null {
  try {
    const steps = JSON.parse(sessionStorage.getItem(PREFIX + shotId) ?? 'null') as Steps<State> | null;
    return steps && Array.isArray(steps.undo) && Array.isArray(steps.redo) ? steps : null;
  } catch {
    return null;
  }
}
