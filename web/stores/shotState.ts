/** What of a shot is edited here: undone, saved, and put together with what changed elsewhere. */
import type { Shot } from '@daxel/api/schemas';

const PARTS = [
  'recipe',
  'patches',
  'rigs',
  'rigId',
  'optics',
  'take',
  'path',
  'frame',
  'firstFrame',
  'lastFrame',
  'rate',
  'handles',
] as const satisfies (keyof Shot)[];

export type State = Pick<Shot, (typeof PARTS)[number]>;

export function stateOf(shot: Shot): State {
  return Object.fromEntries(PARTS.map((part) => [part, shot[part]])) as unknown as State;
}

/** The parts that are not what they were: every edit makes a new object of the part it changes. */
export function changedSince(before: State | null, now: State): Partial<State> {
  return Object.fromEntries(PARTS.filter((k) => !before || before[k] !== now[k]).map((k) => [k, now[k]]));
}
