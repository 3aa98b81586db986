/** The report of a rendered frame, as the command line writes it and the server keeps it. */
import type { RenderedFrame } from '@daxel/core/frame/renderPool';
import { softnessInWords } from '@daxel/core/shadows/softness';

export interface FrameReport {
  size: [number, number];
  frame: number;
  method: 'raster' | 'path';
  tier: string;
  recipeHash: string;
  seconds: number;
  /** Seconds add up to the whole: `waiting` is what belongs to no stage. */
  stages: Record<string, { seconds: number; bytes: number }>;
  samples: number;
  /** Of path tracing: mean relative standard error, share of light the firefly clamp took, samples of a mean pixel. */
  noise?: number;
  clampedShare?: number;
  meanSamples?: number;
  /** How lights with extent were drawn, in words; absent where there are none, and of path tracing. */
  softness?: string;
  threads: number;
  warnings: string[];
  outputs: string[];
}

export function frameReport(
  frame: RenderedFrame,
  more: Pick<FrameReport, 'frame' | 'tier' | 'recipeHash' | 'warnings' | 'outputs'>,
): FrameReport {
  const names = new Set([...Object.keys(frame.stages), ...Object.keys(frame.bytes)]);
  const stages: FrameReport['stages'] = {};
  for (const name of names) {
    stages[name] = {
      seconds: (frame.stages as Record<string, number>)[name] ?? 0,
      bytes: (frame.bytes as Record<string, number>)[name] ?? 0,
    };
  }
  // threads that wait for each other, and what is set up for all stages together: with it they add up to the whole
  const booked = Object.values(stages).reduce((sum, s) => sum + s.seconds, 0);
  // of very small frames some is booked twice, where threads hand over
  const share = Math.min(1, frame.seconds / Math.max(1e-9, booked));
  for (const stage of Object.values(stages)) stage.seconds *= share;
  stages.waiting = { seconds: Math.max(0, frame.seconds - booked), bytes: 0 };
  const softness = frame.softness && softnessInWords(frame.softness, frame.samples);
  return {
    size: [frame.width, frame.height],
    method: frame.path ? 'path' : 'raster',
    ...(frame.path && { noise: frame.path.noise, clampedShare: frame.path.clamped, meanSamples: frame.path.samples }),
    seconds: frame.seconds,
    stages,
    samples: frame.samples,
    ...(softness && { softness }),
    threads: frame.threads,
    ...more,
  };
}
