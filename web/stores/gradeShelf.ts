/** The table through which a shot is looked at, kept on this browser's disk for each shot. */
import { createStore, del, get, set, type UseStore } from 'idb-keyval';
import type { Lut } from '@daxel/core/film/lut';

let opened: UseStore | null = null;
const shelf = (): UseStore => (opened ??= createStore('daxel-grades', 'grades'));

export const gradeOf = (shotId: string): Promise<Lut | null> => get<Lut>(shotId, shelf()).then((lut) => lut ?? null);

export const keepGrade = (shotId: string, lut: Lut | null): Promise<void> =>
  lut ? set(shotId, lut, shelf()) : del(shotId, shelf());
