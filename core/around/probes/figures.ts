/** What baking probes came to. */
import { PROBE_STATE, PROBE_STRIDE } from '@daxel/kernel/generated/layouts/probe';
import type { StageSeconds } from '../../frame/frameJob';
import type { ProbeBox } from './box';
import { PROBE_BURIED, PROBE_MOVED } from './probeState';

export interface BakedProbes {
  boxes: readonly ProbeBox[];
  count: number;
  /** Of these: moved out of walls or off them; in walls for good. */
  moved: number;
  buried: number;
  /** What it took now; 0 and null where they stood already. */
  seconds: number;
  stages: StageSeconds | null;
  /** Of the scene as it was baked; something stands elsewhere in the frame. */
  timeSeconds: number;
  behind: boolean;
  /** They are baked for every frame in which anything moves: that is a part of its time. */
  follows: boolean;
}

/** What they came to, for whoever left the spacing to the scene. */
export function probesInWords({ boxes, count, seconds }: BakedProbes): string {
  const apart = boxes.map(({ step }) => `${Number(Math.max(...step).toPrecision(2))} m`);
  const baked = seconds > 0 ? `baked in ${Number(seconds.toPrecision(2))} s` : 'kept from before';
  return `${count.toLocaleString('en')} ${count === 1 ? 'probe' : 'probes'}, ${apart.join(' and ')} apart, ${baked}`;
}

/** @param probes PROBE_STRIDE numbers each */
export function countStates(probes: Float32Array): { moved: number; buried: number } {
  const counts = { moved: 0, buried: 0 };
  for (let o = PROBE_STATE; o < probes.length; o += PROBE_STRIDE) {
    if (probes[o] === PROBE_MOVED) counts.moved++;
    if (probes[o] === PROBE_BURIED) counts.buried++;
  }
  return counts;
}
