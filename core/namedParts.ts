/**
 * An object with these names, in this order, each null until it is set. One that gets more than a dozen names one at a time
 * becomes a table in V8 that is searched at each access, also in loops that are compiled; one that is parsed stays a record
 * with fixed places.
 */
export function namedParts<K extends string>(names: readonly K[]): Record<K, unknown> {
  return JSON.parse(`{${names.map((name) => `${JSON.stringify(name)}:null`).join()}}`) as Record<K, unknown>;
}
