import { canonicalJson } from '../math/canonical';

/** Where baked probes are kept beyond a pool: by the key of all that they depend on, which is a text of JSON. */
export interface ProbeStore {
  /** @returns PROBE_STRIDE numbers a probe, or null where they are not known */
  load(key: string): Promise<Float32Array | null>;
  save(key: string, probes: Float32Array): Promise<void>;
}

/** What baked probes depend on, in the order in which their key has it. */
export const PROBE_KEY_PARTS = ['scene', 'light', 'places of things', 'boxes', 'rays', 'bounces'] as const;
export type ProbeKeyPart = (typeof PROBE_KEY_PARTS)[number];

/** What differs between two keys; null where one of them is none. */
export function keyDifference(a: string, b: string): ProbeKeyPart[] | null {
  const [left, right] = [partsOf(a), partsOf(b)];
  if (!left || !right) return null;
  return PROBE_KEY_PARTS.filter((_, i) => canonicalJson(left[i]) !== canonicalJson(right[i]));
}

function partsOf(key: string): unknown[] | null {
  try {
    const parts: unknown = JSON.parse(key);
    return Array.isArray(parts) && parts.length === PROBE_KEY_PARTS.length ? parts : null;
  } catch {
    return null;
  }
}
