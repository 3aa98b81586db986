/** Renders a range of frames one by one and has them measured meanwhile. */
import { defineStore } from 'pinia';
import { markRaw, ref } from 'vue';
import type { Patch } from '@daxel/api/schemas';
import type { Rect } from '@daxel/core/measure/rect';
import { historyOptions } from '@daxel/core/frame/frameSettings';
import { historyMap } from '@daxel/core/frame/keptHistory';
import { seeThroughInstances } from '@daxel/core/frame/materialRules';
import { FrameRun } from '@daxel/core/frame/run';
import { geometryView, openShare } from '@daxel/core/frame/shutter';
import type { RenderedFrame, RenderTicket } from '@daxel/core/frame/renderPool';
import type { Lut } from '@daxel/core/film/lut';
import type { ToneCurve } from '@daxel/core/film/tone';
import { WINDOW } from '@daxel/core/measure/stability/track';
import { SUMS } from '@daxel/core/light/components';
import { isPathTraced } from '@daxel/core/recipe/pathSettings';
import type { Tier } from '@daxel/core/recipe/recipe';
import type { CameraView } from '@daxel/core/scene/camera';
import type { CompiledScene } from '@daxel/core/scene/compiled';
import { copyPicture } from '../render/preview';
import type { FromStability, RunFrame, ToStability } from '../render/stabilityWorker';
import { emptyRun, useRuns, type GradedFlicker, type Run } from '../stores/runs';
import type { Wish } from './usePreview';
import { holdScene, renderPool } from './useShot';

/** Frames in memory at once: more would not fit beside everything else. */
export const MOST_FRAMES = 240;
/** Frames that are needed before anything can be measured. */
export const LEAST_FRAMES = WINDOW;

export interface RunOrder {
  shotId: string;
  name: string;
  tier: Tier;
  first: number;
  last: number;
  rate: number;
  /** All of the first frame but its time and camera. */
  wish: Wish;
  scene: CompiledScene;
  cameraAt: (timeSeconds: number) => CameraView;
  /** Named places that are measured by themselves. */
  patches: readonly Patch[];
  /** Table through which it is measured as well. */
  grade?: Lut | null;
}

export interface StabilityPort {
  post(message: ToStability): void;
  listen(handler: (message: FromStability) => void): void;
  terminate(): void;
}

export function createWorker(): StabilityPort {
  const worker = new Worker(new URL('../render/stabilityWorker.ts', import.meta.url), { type: 'module' });
  return {
    // a frame is made, or a file read, for the measuring thread alone: its memory is given away, not copied
    post: (m) => worker.postMessage(m, buffersOf(m)),
    listen: (handler) => (worker.onmessage = (e: MessageEvent<FromStability>) => handler(e.data)),
    terminate: () => worker.terminate(),
  };
}

export function useRun(createPort: () => StabilityPort = createWorker) {
  const runs = useRuns();
  const progress = ref<{ done: number; all: number; secondsLeft: number | null } | null>(null);
  const failure = ref<string | null>(null);
  /** Whose frames are rendered, or were last. */
  const shotId = ref('');
  let ticket: RenderTicket | null = null;
  let cancelled = false;

  async function start(order: RunOrder): Promise<void> {
    if (progress.value) return;
    const { first, last, rate, wish, cameraAt } = order;
    const all = last - first + 1;
    failure.value = null;
    cancelled = false;
    shotId.value = order.shotId;
    const letGo = holdScene(wish.sceneId);
    progress.value = { done: 0, all, secondsLeft: null };
    runs.turn(order.shotId);
    let run = emptyRun({ ...pickOrder(order), order: markRaw(order) }, order.grade);
    const change = (more: Partial<Run>): void => runs.put((run = { ...run, ...more }));
    change({});
    const port = createPort();
    const measured = listenToMeter(port, () => run, change);
    port.post(startOf(order));
    const accumulated = historyOptions(wish.recipe)?.length ?? 1;
    const frames = new FrameRun(renderPool(), order.scene, rate);
    const began = performance.now();
    try {
      for (let number = first; number <= last && !cancelled; number++) {
        const timeSeconds = number / rate;
        const camera = cameraAt(timeSeconds);
        ticket = frames.frame(number, { ...wish, camera, timeSeconds, view: 'picture' });
        const frame = await ticket.promise;
        if (!frame.finished || cancelled) break;
        const { width, height, samples, views } = frame;
        port.post({ type: 'frame', frame: frameOf(order, number, frame) });
        change({
          pictures: [...run.pictures, copyPicture(views, width, height, samples, false)],
          ...(accumulated > 1 && {
            histories: [...run.histories, historyMap(views.history, width, height, accumulated)],
          }),
          seconds: run.seconds + frame.seconds,
        });
        const done = run.pictures.length;
        const each = (performance.now() - began) / 1000 / done;
        progress.value = { done, all, secondsLeft: each * (all - done) };
      }
      const whole = run.pictures.length === all;
      change({ state: 'measuring' });
      if (run.pictures.length >= LEAST_FRAMES) {
        port.post({ type: 'end' });
        await measured;
      }
      change({ state: whole ? 'done' : 'cancelled' });
      // a disk that is full loses no run that is looked at
      if (whole) void runs.shelve(run).catch(() => undefined);
    } catch (error) {
      failure.value = (error as Error).message;
      change({ state: 'cancelled' });
    } finally {
      port.terminate();
      letGo();
      progress.value = null;
      ticket = null;
    }
  }
  function cancel(): void {
    cancelled = true;
    ticket?.cancel();
  }
  return { progress, failure, shotId, start, cancel };
}

/** The run of the page: it goes on while other screens are looked at. */
export const useRunner = defineStore('runner', () => useRun());

/** Puts what a measuring thread finds into a run. @returns settled when it has reported */
export function listenToMeter(
  port: StabilityPort,
  run: () => Run,
  change: (more: Partial<Run>) => void,
  onPicture?: (picture: Extract<FromStability, { type: 'picture' }>) => void,
): Promise<void> {
  const measured = new Promise<void>((resolve, reject) => {
    port.listen((m) => {
      if (m.type === 'failed') return reject(new Error(m.message));
      if (m.type === 'picture') return onPicture?.(m);
      if (m.type === 'report') {
        change({ report: m.report, graded: withGraded(run(), { report: m.graded }) });
        return resolve();
      }
      if (m.type === 'stepping') return change({ stepping: { ...run().stepping, [m.frame]: m.stepping } });
      if (m.type === 'graded') {
        const { found, map } = m;
        const { graded } = run();
        const more = graded && {
          found: { ...graded.found, [found.frame]: found },
          maps: { ...graded.maps, [found.frame]: map },
        };
        return change({ graded: withGraded(run(), more ?? {}) });
      }
      if (m.type !== 'found') return;
      const { frame } = m.found;
      change({
        found: { ...run().found, [frame]: m.found },
        maps: { ...run().maps, [frame]: m.map },
        patchFlicker: { ...run().patchFlicker, [frame]: m.patches },
      });
    });
  });
  measured.catch(() => undefined);
  return measured;
}

function withGraded({ graded }: Run, more: Partial<GradedFlicker>): GradedFlicker | null {
  return graded && { ...graded, ...more };
}

/** Tells a measuring thread what all frames share. */
export function startOf({
  scene,
  wish,
  rate,
  patches,
  grade,
}: Pick<RunOrder, 'scene' | 'wish' | 'rate' | 'patches' | 'grade'>): ToStability {
  const { meta, instances, nodeParents, nodeTransforms, keys } = scene;
  return {
    type: 'start',
    scene: { meta, instances, nodeParents, nodeTransforms, keys },
    seeThrough: seeThroughInstances(scene),
    behind: isPathTraced(wish.recipe) ? 'unknown' : 'background',
    tone: wish.recipe['lens.tone'] as ToneCurve,
    exposureEv: wish.recipe['lens.exposure'] as number,
    shutter: {
      instants: wish.recipe['samples.shutter'] as number,
      open: openShare(wish.camera, rate),
    },
    patches: patches.map(areaOf),
    grade: grade ?? null,
  };
}

/** What a measuring thread needs of a frame. */
export function frameOf(order: RunOrder, number: number, frame: RenderedFrame): RunFrame {
  const { width, height, views, samples } = frame;
  // of a frame computed at another size they do not lie under the picture
  const whole = views.sums.length === width * height * SUMS;
  return {
    ...timesOf(order, number, frame),
    sums: views.sums.slice(0, whole ? undefined : 0),
    samples,
    beauty: views.beauty.slice(0, width * height * 3),
    depth: views.depth.slice(0, width * height),
    objectId: views.objectId.slice(0, width * height),
    overlaid: views.overlaid.slice(),
  };
}

function buffersOf(message: ToStability): ArrayBuffer[] {
  if (message.type === 'file') return [message.bytes.buffer as ArrayBuffer];
  if (message.type !== 'frame') return [];
  const { beauty, depth, objectId, overlaid, sums } = message.frame;
  return [beauty, depth, objectId, overlaid, sums].map((plane) => plane.buffer as ArrayBuffer);
}

/** When and from where it and the next one are seen. */
export function timesOf({ cameraAt, rate, wish }: RunOrder, number: number, { width, height }: RenderedFrame) {
  const instants = wish.recipe['samples.shutter'] as number;
  return {
    number,
    width,
    height,
    seen: geometryView(cameraAt, number / rate, instants),
    next: geometryView(cameraAt, (number + 1) / rate, instants),
  };
}

/** Where a patch lies: plain numbers, for another thread. */
export function areaOf({ x, y, width, height }: Patch): Rect {
  return { x, y, width, height };
}

function pickOrder({ shotId, name, tier, first, last, rate, patches }: RunOrder) {
  return { shotId, name, tier, first, last, rate, patches };
}
