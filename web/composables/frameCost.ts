/** What a frame takes, by what was rendered before. */
import type { Sequence, Still, StillFileKind } from '@daxel/api/schemas';
import { totalSamples, type ResolvedRecipe } from '@daxel/core/recipe/recipe';
import { finishedFrames } from '../stores/sequences';

/** One frame that was rendered, or the mean of many. */
export interface MeasuredFrame {
  shotId: string;
  width: number;
  height: number;
  samples: number;
  seconds: number;
  bytes: Partial<Record<StillFileKind, number>>;
  /** What it was, for the artist. */
  source: string;
  at: string;
}

export interface FrameCost {
  seconds: number;
  /** Null where a kind of file was not written before. */
  bytes: number | null;
  source: string;
}

export function measuredFrames(stills: readonly Still[], sequences: readonly Sequence[]): MeasuredFrame[] {
  const bytesOf = (files: readonly { kind: StillFileKind; bytes: number }[], frames: number) =>
    Object.fromEntries(files.map((f) => [f.kind, f.bytes / frames]));
  const all: MeasuredFrame[] = [];
  for (const s of stills)
    if (s.state === 'done' && s.seconds !== null)
      all.push({ ...pick(s), seconds: s.seconds, bytes: bytesOf(s.files, 1), source: 'the last still of this size' });
  for (const s of sequences) {
    const frames = finishedFrames(s);
    if (frames > 0)
      all.push({
        ...pick(s),
        seconds: s.seconds / frames,
        bytes: bytesOf(s.files, frames),
        source: `${frames} frames of this size`,
      });
  }
  return all.sort((a, b) => b.at.localeCompare(a.at));
}

/** By the newest frame of the same shot, size and samples; null when there is none. */
export function frameCost(
  measured: readonly MeasuredFrame[],
  shotId: string,
  recipe: ResolvedRecipe,
  forms: readonly StillFileKind[],
): FrameCost | null {
  const same = measured.find(
    (m) =>
      m.shotId === shotId &&
      m.width === recipe['output.width'] &&
      m.height === recipe['output.height'] &&
      m.samples === totalSamples(recipe),
  );
  if (!same) return null;
  const bytes = forms.map((f) => same.bytes[f]);
  const known = bytes.every((b): b is number => b !== undefined);
  return { seconds: same.seconds, bytes: known ? bytes.reduce((a, b) => a + b, 0) : null, source: same.source };
}

function pick({ shotId, width, height, samples, createdAt }: Still | Sequence) {
  return { shotId, width, height, samples, at: createdAt };
}
