/** Two edits of one thing that began from the same state, put together: what only one of them changed is as that one left it. */

type Plain = Record<string, unknown>;

/** What both changed, each in its own way. */
export interface EditConflict {
  /** Where it is: names and ids from the outside in. */
  path: string[];
  mine: unknown;
  theirs: unknown;
}

/**
 * Objects are merged by key, lists of things with an id by that; all else is one value.
 * @param base what both began from
 * @returns the whole, with mine where they conflict, and the conflicts
 */
export function mergeEdits<T>(base: T, mine: T, theirs: T): { merged: T; conflicts: EditConflict[] } {
  const conflicts: EditConflict[] = [];
  return { merged: merge(base, mine, theirs, [], conflicts) as T, conflicts };
}

/** The same as a whole, with theirs at some of the places. */
export function withTheirs<T>(merged: T, conflicts: readonly EditConflict[]): T {
  // states of a shot are plain, but may be watched: such objects cannot be cloned as they are
  const whole = JSON.parse(JSON.stringify(merged)) as T;
  for (const { path, theirs } of conflicts) {
    let at: unknown = whole;
    for (const step of path.slice(0, -1)) at = childOf(at, step);
    const last = path[path.length - 1];
    if (Array.isArray(at)) {
      const place = at.findIndex((item) => idOf(item) === last);
      if (theirs === undefined) at.splice(place, 1);
      else if (place >= 0) at[place] = theirs;
      else at.push(theirs);
    } else if (isPlain(at)) {
      if (theirs === undefined) Reflect.deleteProperty(at, last);
      else at[last] = theirs;
    }
  }
  return whole;
}

/** Alike in every part, whatever the order of their keys; what is absent and what is undefined are alike. */
export function alike(a: unknown, b: unknown): boolean {
  if (Object.is(a, b)) return true;
  if (Array.isArray(a) && Array.isArray(b)) return a.length === b.length && a.every((v, i) => alike(v, b[i]));
  if (!isPlain(a) || !isPlain(b)) return false;
  return [...new Set([...Object.keys(a), ...Object.keys(b)])].every((k) => alike(a[k], b[k]));
}

function merge(base: unknown, mine: unknown, theirs: unknown, path: string[], conflicts: EditConflict[]): unknown {
  if (alike(mine, base)) return theirs;
  if (alike(theirs, base) || alike(mine, theirs)) return mine;
  if (isPlain(mine) && isPlain(theirs)) {
    const before = isPlain(base) ? base : {};
    const keys = new Set([...Object.keys(theirs), ...Object.keys(mine)]);
    const entries = [...keys].map((k) => [k, merge(before[k], mine[k], theirs[k], [...path, k], conflicts)]);
    return Object.fromEntries(entries.filter(([, v]) => v !== undefined)) as Plain;
  }
  if (isListOfIds(mine) && isListOfIds(theirs)) {
    const before = isListOfIds(base) ? base : [];
    const of = (list: Plain[], id: string): Plain | undefined => list.find((item) => item.id === id);
    // theirs stand where they stood; what is new on this side comes behind
    const ids = [...new Set([...theirs, ...mine].map(idOf))];
    return ids
      .map((id) => merge(of(before, id), of(mine, id), of(theirs, id), [...path, id], conflicts))
      .filter((item) => item !== undefined);
  }
  conflicts.push({ path, mine, theirs });
  // what one side deleted and the other changed is not deleted unasked
  return mine === undefined ? theirs : mine;
}

function isPlain(value: unknown): value is Plain {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
}

function isListOfIds(value: unknown): value is (Plain & { id: string })[] {
  return Array.isArray(value) && value.every((item) => isPlain(item) && typeof item.id === 'string');
}

function idOf(item: unknown): string {
  return isPlain(item) ? String(item.id) : '';
}

function childOf(value: unknown, step: string): unknown {
  if (Array.isArray(value)) return value.find((item) => idOf(item) === step);
  return isPlain(value) ? value[step] : undefined;
}
