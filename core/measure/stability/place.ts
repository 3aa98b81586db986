/** The flicker of one place of the picture, and what part of the light it comes from: frames are cut down to it. */
import { displayLuminance } from '../imageError';
import type { ToneCurve } from '../../film/tone';
import type { Rect } from '../rect';
import { blameLayers, type Blame } from './blame';
import { lightLayers, withSlope } from './frameLayers';
import { StabilityMeter } from './meter';
import { flickerOfParts } from './patches';
import { mixMask, WINDOW } from './track';

/** The place and what is around it, in one frame. */
export interface PlaceFrame {
  number: number;
  width: number;
  height: number;
  tone: ToneCurve;
  /** As exposed, rgb a pixel. */
  beauty: Float32Array;
  /** SUMS numbers a pixel. */
  sums: Float32Array;
  /** Samples that the sums hold, and the exposure that `beauty` has. */
  samples: number;
  exposureEv: number;
  motion: Float32Array;
  ids: Uint32Array;
}

export interface PlaceFlicker {
  /**
   * Visibility that a hundredth of the place exceeds in its worst frame, as the report of a run gives it for its worst
   * places; null where nothing could be followed.
   */
  index: number | null;
  /** Share of what was measured, the surroundings included, over which light, shadows or things pass. */
  passing: number;
  blame: Blame;
}

/** Pixels around a place that measuring it reads: points come from there and blurs reach there. */
export const AROUND = 32;
/** Frames before and after the one in question. */
export const FRAMES_ASIDE = 3;

/** A place with what is around it, inside the picture. */
export function placeAround(rect: Rect, width: number, height: number): Rect {
  const x = Math.max(0, Math.min(rect.x - AROUND, width - 1));
  const y = Math.max(0, Math.min(rect.y - AROUND, height - 1));
  return {
    x,
    y,
    width: Math.min(width, rect.x + rect.width + AROUND) - x,
    height: Math.min(height, rect.y + rect.height + AROUND) - y,
  };
}

/**
 * @param frames at least WINDOW of them in order, of the place and what is around it
 * @param inner the place in these frames
 */
export function measurePlace(frames: readonly PlaceFrame[], inner: Rect): PlaceFlicker {
  const [{ width, height }] = frames;
  const found: number[] = [];
  const counted: Float32Array[] = [];
  let passing = 0;
  const meter = new StabilityMeter({ width, height });
  meter.onMap = (frame, map, valid, moving) => {
    const [index] = flickerOfParts(map, valid, moving, width, [inner]);
    if (index !== null) found.push(index);
    counted.push(valid);
    passing += frame.movingLight;
  };
  const layered = frames.map((frame) => {
    const { number, motion, ids } = frame;
    const image = { ...frame, rgb: frame.beauty, name: `frame ${number}` };
    const shown = displayLuminance(image);
    meter.add({ number, luminance: shown, motion, ids });
    const tracked = { motion, ids, mixed: mixMask(motion, ids, width, height) };
    const light = lightLayers(frame.sums, frame.samples, frame.exposureEv);
    return { ...withSlope(light, image, shown, 1), ids, tracked };
  });
  if (frames.length >= WINDOW) meter.end();
  return {
    index: found.length > 0 ? Math.max(...found) : counted.length > 0 && passing > 0 ? 0 : null,
    passing: counted.length > 0 ? passing / counted.length : 0,
    blame: blameLayers(layered, width, height, inner, counted),
  };
}
