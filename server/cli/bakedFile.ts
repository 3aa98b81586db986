/** Baked probes of the .glb that the command line works on, as a store that a pool asks. */
import { keyDifference, type ProbeStore } from '@daxel/core/frame/probeStore';
import { PROBE_STRIDE } from '@daxel/kernel/generated/layouts/probe';
import type { BakedSet } from '@daxel/formats/gltf/bakedProbes';

export interface BakedFile extends ProbeStore {
  /** Those that were baked meanwhile. */
  baked: readonly BakedSet[];
}

/**
 * @param sets of the file @param insist takes those of other light or of things elsewhere where nothing better is known
 * @param say is told what the artist should know, a sentence each
 */
export function bakedFile(sets: readonly BakedSet[], insist: boolean, say: (note: string) => void): BakedFile {
  const baked: BakedSet[] = [];
  const said = new Set<string>();
  const sayOnce = (note: string): void => {
    if (!said.has(note)) say(note);
    said.add(note);
  };
  const load = (key: string): Float32Array | null => {
    const same = sets.find((s) => s.key === key);
    if (same) return same.probes;
    const near = sets
      .map((set) => ({ set, parts: keyDifference(set.key, key) }))
      .filter(({ parts }) => parts !== null)
      .sort((a, b) => a.parts!.length - b.parts!.length)
      .at(0);
    if (!near?.parts) return null;
    // the same, whatever order its parts were written in
    if (near.parts.length === 0) return near.set.probes;
    const other = `The probes of this file were baked for other ${near.parts.join(' and ')}`;
    if (!insist) sayOnce(`${other}: they are baked anew.`);
    else if (near.parts.includes('boxes')) sayOnce(`${other}: they do not fit, and are baked anew.`);
    else {
      sayOnce(`${other}, and used all the same.`);
      return near.set.probes;
    }
    return null;
  };
  return {
    baked,
    load: (key) => Promise.resolve(load(key)),
    save(key, probes) {
      baked.push({ key, probes });
      return Promise.resolve();
    },
  };
}

/** Megabytes of a set, for whoever is to keep it. */
export function sizeOf({ probes }: BakedSet): string {
  return `${(probes.length / PROBE_STRIDE).toLocaleString('en')} probes, ${(probes.byteLength / 2 ** 20).toFixed(1)} MB`;
}
