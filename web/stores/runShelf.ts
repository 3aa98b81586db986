/** Finished runs on this browser's disk: they survive a reload, the oldest make way when there is no room. */
import { createStore, del, get, set, update, type UseStore } from 'idb-keyval';
import type { Run } from './runs';

/** Bytes of all runs together. */
export const SHELF_LIMIT = 2 ** 30;
/** Of each shot: the newest and the one it is compared with. */
const KEPT_A_SHOT = 2;

export interface ShelfEntry {
  id: string;
  shotId: string;
  bytes: number;
}
/** What can be kept of a run: not what it was rendered from, nor the way to its files. */
type KeptRun = Omit<Run, 'order' | 'again'>;

const INDEX = 'index';
let opened: UseStore | null = null;
const shelf = (): UseStore => (opened ??= createStore('daxel-runs', 'runs'));

/** Bytes that a run takes: its pictures are nearly all of it. */
export function bytesOf({ pictures, maps, histories }: Run): number {
  const arrays = [...Object.values(maps), ...histories].flatMap((m) => Object.values(m).filter(ArrayBuffer.isView));
  const planes = arrays.reduce((sum, a) => sum + a.byteLength, 0);
  return pictures.reduce((sum, p) => sum + (p?.codes.byteLength ?? 0), planes);
}

/**
 * Which of what is on the shelf must go so that another run finds room: those of its shot that are older than the last
 * few, then the oldest of all.
 * @param entries oldest first
 * @returns null where there is no room for it at all
 */
export function makingRoom(entries: readonly ShelfEntry[], next: ShelfEntry, limit = SHELF_LIMIT): string[] | null {
  if (next.bytes > limit) return null;
  const own = entries.filter((e) => e.shotId === next.shotId);
  const gone = new Set(own.slice(0, Math.max(0, own.length - (KEPT_A_SHOT - 1))).map((e) => e.id));
  let sum = next.bytes + entries.reduce((bytes, e) => bytes + (gone.has(e.id) ? 0 : e.bytes), 0);
  for (const e of entries) {
    if (sum <= limit) break;
    if (gone.has(e.id)) continue;
    gone.add(e.id);
    sum -= e.bytes;
  }
  return [...gone];
}

/** Puts a finished run on the shelf. @returns its name there, null where it was not kept */
export async function keepRun(run: Run): Promise<string | null> {
  // a run from files of which memory holds a part could not be shown from here
  if (run.pictures.length === 0 || run.pictures.some((p) => p === null)) return null;
  const { order: _order, again: _again, ...rest } = run;
  // places come from a document that is watched: what goes to the disk must be plain
  const kept = { ...rest, patches: JSON.parse(JSON.stringify(run.patches)) as Run['patches'] };
  const entry = { id: `run ${crypto.randomUUID()}`, shotId: run.shotId, bytes: bytesOf(run) };
  const before = (await get<ShelfEntry[]>(INDEX, shelf())) ?? [];
  const gone = makingRoom(before, entry);
  if (gone === null) return null;
  for (const id of gone) await del(id, shelf());
  await set(entry.id, kept satisfies KeptRun, shelf());
  await update<ShelfEntry[]>(INDEX, (all = []) => [...all.filter((e) => !gone.includes(e.id)), entry], shelf());
  return entry.id;
}

/** The runs of a shot, newest first. */
export async function runsOnShelf(shotId: string): Promise<{ id: string; run: Run }[]> {
  const entries = ((await get<ShelfEntry[]>(INDEX, shelf())) ?? []).filter((e) => e.shotId === shotId).reverse();
  const found = await Promise.all(entries.map(async ({ id }) => ({ id, kept: await get<KeptRun>(id, shelf()) })));
  return found.flatMap(({ id, kept }) => (kept ? [{ id, run: { ...kept, order: null } }] : []));
}

export async function dropRun(id: string): Promise<void> {
  await del(id, shelf());
  await update<ShelfEntry[]>(INDEX, (all = []) => all.filter((e) => e.id !== id), shelf());
}
