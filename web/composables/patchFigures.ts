/** What the named places of a run come to. */
import type { Patch } from '@daxel/api/schemas';
import type { Run } from '../stores/runs';

export interface PatchFigures {
  patch: Patch;
  /** Median over the frames in which it was measured; null where it never was. */
  index: number | null;
  /** Where it flickers most. */
  frame: number;
}

export function patchFigures({ patches, patchFlicker, first }: Pick<Run, 'patches' | 'patchFlicker' | 'first'>) {
  return patches.map((patch, n): PatchFigures => {
    const found = Object.entries(patchFlicker)
      .map(([frame, values]) => ({ frame: Number(frame), value: values[n] ?? null }))
      .filter((f): f is { frame: number; value: number } => f.value !== null)
      .sort((a, b) => a.value - b.value || b.frame - a.frame);
    return { patch, index: found[found.length >> 1]?.value ?? null, frame: found.at(-1)?.frame ?? first };
  });
}
