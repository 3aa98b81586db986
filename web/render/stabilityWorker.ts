/** Entry of the thread that measures the flicker of a run while it is rendered. */
import { motionVectors, type MovingScene } from '@daxel/core/frame/motion';
import type { HistoryMap } from '@daxel/core/frame/keptHistory';
import type { ToneCurve } from '@daxel/core/film/tone';
import type { SteppingFigures } from '@daxel/core/measure/stepping';
import type { FrameStability } from '@daxel/core/measure/stability/meter';
import { SequenceMeter, type SequenceReport } from '@daxel/core/measure/stability/sequence';
import { findGhosts } from '@daxel/core/measure/ghosts';
import { lightLayers } from '@daxel/core/measure/stability/frameLayers';
import type { HelperStart } from '@daxel/core/measure/stability/rowHelper';
import { measurePlace, type PlaceFlicker } from '@daxel/core/measure/stability/place';
import { flickerOfParts } from '@daxel/core/measure/stability/patches';
import { gradedLuminance } from '@daxel/core/measure/graded';
import type { MeasuredImage } from '@daxel/core/measure/imageError';
import type { Lut } from '@daxel/core/film/lut';
import { pixelRect, type Rect } from '@daxel/core/measure/rect';
import { SRGB8_TO_LINEAR } from '@daxel/core/math/color';
import type { FrameFile, ReadFrame } from './frameFileWorker';
import type { CameraView } from '@daxel/core/scene/camera';

export interface RunFrame {
  number: number;
  width: number;
  height: number;
  beauty: Float32Array;
  depth: Float32Array;
  objectId: Uint32Array;
  overlaid: Uint32Array;
  /** SUMS numbers a pixel and by how many samples they are to be divided; empty where they do not lie under the picture. */
  sums: Float32Array;
  samples: number;
  /** When and from where its geometry is seen, and that of the frame after it. */
  seen: { timeSeconds: number; camera: CameraView };
  next: { timeSeconds: number; camera: CameraView };
}

/** A part of a frame with all layers of its light. */
export interface PartFrame extends RunFrame {
  part: Rect;
}

export type ToStability =
  | {
      type: 'start';
      scene: MovingScene;
      seeThrough: Uint8Array;
      behind: 'background' | 'unknown';
      tone: ToneCurve;
      exposureEv: number;
      /** Instants of the open shutter, and the share of the time between frames for which it is open. */
      shutter: { instants: number; open: number };
      patches: readonly Rect[];
      /** What the frames are measured through as well. */
      grade: Lut | null;
    }
  /** Frames from files follow. */
  | { type: 'start-files'; grade: Lut | null }
  | ({ type: 'file' } & FrameFile)
  | { type: 'frame'; frame: RunFrame }
  | { type: 'end' }
  /** A frame and what it is without accumulation, as codes. */
  | {
      type: 'ghosts';
      width: number;
      height: number;
      shown: Uint8ClampedArray<ArrayBuffer>;
      truth: Uint8ClampedArray<ArrayBuffer>;
      history: HistoryMap;
    }
  /** A place in frames that follow one another; they hold it and what is around it. */
  | { type: 'place'; frames: PartFrame[]; rect: Rect };

/** A map of visibility in eighths, at a quarter of the frame's size; 255 where nothing was measured. */
export interface FlickerMap {
  width: number;
  height: number;
  eighths: Uint8Array<ArrayBuffer>;
}
export const NOT_MEASURED = 255;
const BLOCK = 4;

export type FromStability =
  /** @param patches flicker of each, null where nothing of it was measured */
  | { type: 'found'; found: FrameStability; map: FlickerMap; patches: (number | null)[] }
  /** A frame from a file, as the display shows it. */
  | { type: 'picture'; width: number; height: number; codes: Uint8ClampedArray<ArrayBuffer> }
  | { type: 'stepping'; frame: number; stepping: SteppingFigures }
  /** As `found`, through the grade. */
  | { type: 'graded'; found: FrameStability; map: FlickerMap }
  | { type: 'report'; report: SequenceReport; graded: SequenceReport | null }
  | { type: 'place'; place: PlaceFlicker }
  /** @param map in eighths of what is seen; `NOT_MEASURED` where nothing was taken over */
  | { type: 'ghosts'; map: FlickerMap; share: number }
  | { type: 'failed'; message: string };

let meter: SequenceMeter | null = null;
let grade: Lut | null = null;
let gradedMeter: SequenceMeter | null = null;
let gradedMap: FlickerMap | null = null;
type Start = Extract<ToStability, { type: 'start' }>;
let start: Start | null = null;
let width = 0;
let height = 0;
let map: FlickerMap | null = null;
let patches: (number | null)[] = [];
let reader: Worker | null = null;

addEventListener('message', (e: MessageEvent<ToStability>) => guarded(() => take(e.data)));

function guarded(work: () => void): void {
  try {
    work();
  } catch (error) {
    post({ type: 'failed', message: (error as Error).message });
  }
}

function post(message: FromStability): void {
  postMessage(message);
}

function take(m: ToStability): void {
  if (m.type === 'start' || m.type === 'start-files') {
    start = m.type === 'start' ? m : null;
    grade = m.grade;
    gradedMeter =
      grade &&
      new SequenceMeter({
        onMap: (_frame, visible, valid) => (gradedMap = shrink(visible, valid)),
        onFrame: (found) => gradedMap && post({ type: 'graded', found, map: gradedMap }),
      });
    // of frames from files it is not known what they show
    const named = start?.patches ?? [];
    meter = new SequenceMeter({
      spawn: globalThis.crossOriginIsolated ? spawnRows : undefined,
      onMap: (_frame, visible, valid, moving) => {
        const parts = named.map((p) => pixelRect(p, width, height));
        map = shrink(visible, valid);
        patches = flickerOfParts(visible, valid, moving, width, parts);
      },
      onFrame: (found) => map && post({ type: 'found', found, map, patches }),
      onStepping: (frame, stepping) => post({ type: 'stepping', frame, stepping }),
    });
  } else if (m.type === 'file') {
    reader ??= startReader();
    reader.postMessage(m, [m.bytes.buffer]);
  } else if (m.type === 'frame') {
    if (!start || !meter) throw new Error('The measuring thread was not started.');
    const { frame } = m;
    ({ width, height } = frame);
    const { tone, exposureEv, shutter } = start;
    const { sums, samples } = frame;
    const motion = vectorsOf(start, frame);
    const image = { name: `frame ${frame.number}`, width, height, rgb: frame.beauty, tone, shutter };
    const light = sums.length > 0 ? lightLayers(sums, samples, exposureEv) : undefined;
    measure({ ...image, motion, ids: frame.objectId, light }, frame.number);
  } else if (m.type === 'ghosts') {
    const { width: w, height: h, history } = m;
    const { strengths, share, ...size } = findGhosts(linear(m.shown), linear(m.truth), w, h, history);
    const eighths = Uint8Array.from(strengths, (s) =>
      Number.isNaN(s) ? NOT_MEASURED : Math.min(NOT_MEASURED - 1, Math.round(s * 8)),
    );
    post({ type: 'ghosts', map: { ...size, eighths }, share });
  } else if (m.type === 'place') {
    const order = start;
    if (!order) throw new Error('The measuring thread was not started.');
    const { tone, exposureEv } = order;
    const frames = m.frames.map((f) => ({
      ...f,
      ...f.part,
      tone,
      exposureEv,
      motion: vectorsOf(order, f),
      ids: f.objectId,
    }));
    const { x, y } = m.frames[0].part;
    post({ type: 'place', place: measurePlace(frames, { ...m.rect, x: m.rect.x - x, y: m.rect.y - y }) });
  } else if (meter) {
    post({ type: 'report', report: meter.report(), graded: gradedMeter?.report() ?? null });
    meter = gradedMeter = null;
  }
}

/** As it is, and through the grade if there is one; what is blurred by the shutter was looked at already. */
function measure(image: MeasuredImage, number: number): void {
  if (gradedMeter && grade) {
    const { light: _light, shutter: _shutter, ...rest } = image;
    gradedMeter.add({ ...rest, shown: gradedLuminance(image, grade) }, number);
  }
  meter?.add(image, number);
}

/** A thread that takes half of the measuring. */
function spawnRows(start: HelperStart): Worker {
  const worker = new Worker(new URL('./rowWorker.ts', import.meta.url), { type: 'module' });
  worker.postMessage(start);
  return worker;
}

/** A thread that reads files: while one is measured the next can be read. */
function startReader(): Worker {
  const worker = new Worker(new URL('./frameFileWorker.ts', import.meta.url), { type: 'module' });
  worker.onmessage = ({ data }: MessageEvent<ReadFrame>) => guarded(() => measureFile(data));
  worker.onerror = (event) => post({ type: 'failed', message: event.message });
  return worker;
}

function measureFile(frame: ReadFrame): void {
  if ('failed' in frame) throw new Error(frame.failed);
  if (!meter) throw new Error('The measuring thread was not started.');
  const { number, image, codes } = frame;
  ({ width, height } = image);
  // whoever sees it may send the next
  postMessage({ type: 'picture', width, height, codes } satisfies FromStability, { transfer: [codes.buffer] });
  measure(image, number);
}

/** Display-linear rgb of rgba codes. */
function linear(codes: Uint8ClampedArray): Float32Array {
  return Float32Array.from({ length: (codes.length / 4) * 3 }, (_, i) => {
    const c = i % 3;
    return SRGB8_TO_LINEAR[codes[((i - c) / 3) * 4 + c]];
  });
}

function vectorsOf({ scene, seeThrough, behind }: Start, frame: RunFrame): Float32Array {
  return motionVectors({
    ...frame,
    ...frame.seen,
    scene,
    seeThrough,
    behind,
    nextCamera: frame.next.camera,
    nextTimeSeconds: frame.next.timeSeconds,
  });
}

/** The largest visibility of each block; a block counts as measured when any of it was. */
function shrink(visible: Float32Array, valid: Float32Array): FlickerMap {
  const [w, h] = [Math.ceil(width / BLOCK), Math.ceil(height / BLOCK)];
  const eighths = new Uint8Array(w * h).fill(NOT_MEASURED);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      if (valid[i] === 0) continue;
      const o = (y >> 2) * w + (x >> 2);
      const v = Math.min(NOT_MEASURED - 1, Math.round(visible[i] * 8));
      if (eighths[o] === NOT_MEASURED || v > eighths[o]) eighths[o] = v;
    }
  return { width: w, height: h, eighths };
}
