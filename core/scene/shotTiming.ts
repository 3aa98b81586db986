/** Which frames a shot has, and how many pass in a second. */

/** Frames a second that are usual: film, television and their doubles. */
export const RATES: readonly number[] = [24_000 / 1001, 24, 25, 30, 48, 50, 60];
/** Frames at each end beyond the cut that can be asked for. */
export const MOST_HANDLES = 240;

export interface ShotTiming {
  firstFrame: number;
  lastFrame: number;
  /** Frames a second. */
  rate: number;
  /** The frame that is shown. */
  frame: number;
}

/** The same stretch of time at another rate: frame n shows the scene at n / rate seconds. */
export function retimed({ firstFrame, lastFrame, rate, frame }: ShotTiming, to: number): ShotTiming {
  const k = to / rate;
  const first = Math.round(firstFrame * k);
  const last = Math.max(first, Math.round((lastFrame + 1) * k) - 1);
  return { firstFrame: first, lastFrame: last, rate: to, frame: clamp(Math.round(frame * k), first, last) };
}

/** The same with another first or last frame; the other end and the frame shown give way. */
export function ranged(timing: ShotTiming, { firstFrame, lastFrame }: Partial<ShotTiming>): ShotTiming {
  const first = firstFrame ?? Math.min(timing.firstFrame, lastFrame ?? timing.lastFrame);
  const last = Math.max(first, lastFrame ?? timing.lastFrame);
  return { ...timing, firstFrame: first, lastFrame: last, frame: clamp(timing.frame, first, last) };
}

/** @example "23.976" */
export function rateName(rate: number): string {
  return String(Number(rate.toFixed(3)));
}

function clamp(value: number, low: number, high: number): number {
  return Math.min(high, Math.max(low, value));
}

/** A frame's number as it stands in a file's name: with its sign, at least so many digits. */
export function frameDigits(frame: number, digits: number): string {
  return (frame < 0 ? '-' : '') + String(Math.abs(frame)).padStart(digits, '0');
}
