/**
 * Edits that the server does not have yet, in the browser's storage: written with every edit, since a page may end at any
 * moment, and taken away when the server has them.
 */
import type { Shot } from '@daxel/api/schemas';

export type ShotParts = Partial<
  Pick<
    Shot,
    | 'recipe'
    | 'patches'
    | 'rigs'
    | 'rigId'
    | 'optics'
    | 'take'
    | 'path'
    | 'frame'
    | 'firstFrame'
    | 'lastFrame'
    | 'rate'
    | 'handles'
  >
>;

export interface PendingEdit {
  /** Parts as they were on the server when the edit began, and as they are now. */
  before: ShotParts;
  now: ShotParts;
}

const PREFIX = 'daxel-edit ';

export function keepPending(shotId: string, edit: PendingEdit): void {
  try {
    localStorage.setItem(PREFIX + shotId, JSON.stringify(edit));
  } catch {
    // without storage, or with a full one, an edit lives as long as the page
  }
}

export function dropPending(shotId: string): void {
  try {
    localStorage.removeItem(PREFIX + shotId);
  } catch {
    // as above
  }
}

/** @returns null when there is none, or it cannot be read */
export function pendingOf(shotId: string): PendingEdit | null {
  try {
    const edit = JSON.parse(localStorage.getItem(PREFIX + shotId) ?? 'null') as PendingEdit | null;
    return edit && typeof edit.before === 'object' && typeof edit.now === 'object' ? edit : null;
  } catch {
    return null;
  }
}

/** Ids of the shots that have one. */
export function pendingShots(): string[] {
  try {
    return Object.keys(localStorage)
      .filter((key) => key.startsWith(PREFIX))
      .map((key) => key.slice(PREFIX.length));
  } catch {
    return [];
  }
}
