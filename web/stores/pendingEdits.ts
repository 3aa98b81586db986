/**
 * Edits that the server does not have yet, in the browser's storage: written with every edit, since a page may end at any
 * moment, and taken away when the server has them. Each tab writes its own; what a tab left behind is taken over by another.
 */
import type { State } from './shotState';

export interface PendingEdit {
  /** Parts as they were on the server when the edit began, and as they are now. */
  before: Partial<State>;
  now: Partial<State>;
}
/** The whole of a shot as it was when the edit began, and as it is with it. @param there where the edit changes nothing */
export function editOf(there: State, { before, now }: PendingEdit): [before: State, mine: State] {
  return [
    { ...there, ...before },
    { ...there, ...before, ...now },
  ];
}

interface Kept extends PendingEdit {
  at: number;
}

const PREFIX = 'daxel-edit ';
const TAB_KEY = 'daxel-tab';
/** Milliseconds after which an edit of another tab is taken as left behind: until then that tab saves it itself. */
const LEFT_BEHIND = 10_000;

/** Without storage, or with a full one, an edit lives as long as the page. */
function stored<T>(use: () => T, otherwise: T): T {
  try {
    return use();
  } catch {
    return otherwise;
  }
}

export function keepPending(shotId: string, edit: PendingEdit): void {
  const kept: Kept = { before: edit.before, now: edit.now, at: Date.now() };
  stored(() => localStorage.setItem(ownEntry(shotId), JSON.stringify(kept)), undefined);
}

export function dropPending(shotId: string): void {
  stored(() => localStorage.removeItem(ownEntry(shotId)), undefined);
}

/** @returns null when there is none, or another tab is at it */
export function pendingOf(shotId: string): PendingEdit | null {
  return stored(() => {
    const own = read(ownEntry(shotId));
    if (own) return own;
    for (const key of keysOf(`${PREFIX}${shotId} `)) {
      const left = read(key);
      if (!left || Date.now() - left.at < LEFT_BEHIND) continue;
      localStorage.removeItem(key);
      keepPending(shotId, left);
      return left;
    }
    return null;
  }, null);
}

/** Ids of the shots that have one. */
export function pendingShots(): string[] {
  return stored(() => {
    const ids = keysOf(PREFIX).map((key) => key.slice(PREFIX.length).split(' ')[0]);
    return [...new Set(ids)].filter((id) => pendingOf(id) !== null);
  }, []);
}

function keysOf(prefix: string): string[] {
  return Object.keys(localStorage).filter((key) => key.startsWith(prefix));
}

function read(key: string): Kept | null {
  const kept = stored(() => JSON.parse(localStorage.getItem(key) ?? 'null') as Kept | null, null);
  return kept && typeof kept.before === 'object' && typeof kept.now === 'object' ? kept : null;
}

/** A tab keeps its name over a reload. */
function ownEntry(shotId: string): string {
  let tab = sessionStorage.getItem(TAB_KEY);
  if (!tab) {
    tab = crypto.randomUUID();
    sessionStorage.setItem(TAB_KEY, tab);
  }
  return `${PREFIX}${shotId} ${tab}`;
}
