/** Entry of the separate process that renders stills, one at a time, so that the server stays quick. */
import { join } from 'node:path';
import { setPriority } from 'node:os';
import type { CameraState, StillFileKind } from '@daxel/api/schemas';
import type { FrameViews } from '@daxel/core/frame/frameMemory';
import { historyOptions } from '@daxel/core/frame/frameSettings';
import { takeHistory } from '@daxel/core/frame/keptHistory';
import { LAYER_NAMES } from '@daxel/core/frame/layers';
import type { FrameRequest, RenderedFrame, RenderPool, RenderTicket } from '@daxel/core/frame/renderPool';
import type { ErrorFigures } from '@daxel/core/measure/imageError';
import { checkFrame, type FrameCheck } from '@daxel/core/measure/frameCheck';
import type { Rect } from '@daxel/core/measure/rect';
import { hashFloats } from '@daxel/core/math/hash';
import { FrameRun } from '@daxel/core/frame/run';
import type { CameraView } from '@daxel/core/scene/camera';
import type { CompiledScene } from '@daxel/core/scene/compiled';
import { findShot, shotCamera, withSetup, type ShotSetup } from '@daxel/core/scene/shotCamera';
import { exposedBy, rigLighting, type Rig } from '@daxel/core/light/rig';
import type { ResolvedRecipe } from '@daxel/core/recipe/recipe';
import { encodePng8 } from '@daxel/formats/png/displayPng';
import { unpackPicture } from '@daxel/formats/environment/storedPicture';
import { atomicWrite } from '../store/atomicWrite';
import { ProbeShelf } from '../store/probeShelf';
import { loadScene } from './loadScene';
import { createNodePool } from './nodePool';
import { checkpointFile, historyFile } from './unfinishedFile';
import { toExr, toPng16, toPng8, type OutputInput } from './outputs';
import { frameReport, type FrameReport } from './report';
import { motionLayer } from './shotFrames';
import { figuresAgainst, flickerOf, steppingOf } from './stepMeasures';
import { timesOf, type StepTimes } from './stepTimes';

/** What all kinds of order render. */
export interface SceneOrder {
  orderId: string;
  scenePath: string;
  sceneKey: string;
  /** Where baked light is looked for, and kept. */
  bakedDir: string;
  recipe: ResolvedRecipe;
  /** Null for the scene's own light. */
  rig: Rig | null;
  /** Stored environment picture of the rig. */
  picturePath: string | null;
  timeSeconds: number;
  seed: number;
  /** Where the files are left for the server to take over. */
  outDir: string;
}
interface PictureOrder extends SceneOrder {
  recipeHash: string;
  tier: string;
  frame: number;
  /** Frames a second: lead-in frames come before this one. */
  rate: number;
  /** What is written. */
  forms: readonly StillFileKind[];
  /** Where a path-traced picture is kept half way, to go on from after a restart. */
  checkpointPath: string;
}
export interface StillOrder extends PictureOrder {
  type: 'still';
  camera: CameraState;
}
/** A frame of a sequence: what it builds on is kept from frame to frame, in memory and on disk. */
export interface FrameOrder extends PictureOrder {
  type: 'frame';
  /** The shot of the scene whose camera sees it, and what was changed of it. */
  shot: ShotSetup & { name: string };
  /** First frame of the sequence. */
  first: number;
  /** Where the history of the last frame is kept. */
  historyPath: string;
}
/** One step of a wedge, measured against its reference where there is one already. */
export interface StepOrder extends SceneOrder {
  type: 'step';
  camera: CameraState;
  /** Parts of the picture that are rendered, pixels; null for all of it. */
  regions: Rect[] | null;
  /** Parts that are measured. */
  rects: Rect[];
  /** EXR file of the reference. */
  referencePath: string | null;
  /** Others will be measured against it. */
  isReference: boolean;
  frame: number;
  /** Frames a second: how far things move from one to the next. */
  rate: number;
  /** The frames around it are rendered as well, and its flicker measured. */
  flicker: boolean;
  timing: StepTiming;
}
/**
 * How long it takes: as it happened to, repeated until that is known, or in turn with another recipe until it can be told
 * which is quicker. `lately`: what the other took just now, where that is known. `varies`: share by which equal renders of
 * the run differ, where a smaller difference shall be left open at once.
 */
export type StepTiming =
  | { kind: 'once' }
  | { kind: 'repeated' }
  | { kind: 'beside'; recipe: ResolvedRecipe; lately: number | null; varies: number };
export type RenderOrder = StillOrder | FrameOrder | StepOrder;
/** `keep` leaves what a path-traced picture has so far on disk. */
export type ToRenderProcess = RenderOrder | { type: 'cancel'; orderId: string; keep: boolean };
export type FromRenderProcess = { orderId: string } & (
  | { type: 'progress'; progress: number }
  | { type: 'picture'; png: Uint8Array }
  | {
      type: 'done';
      files: { kind: StillFileKind; path: string }[];
      report: FrameReport;
      beautyHash: string;
      check: FrameCheck;
    }
  | {
      type: 'step';
      png: string;
      /** Of a reference. */
      exr: string | null;
      report: FrameReport;
      times: StepTimes;
      figures: ErrorFigures[] | null;
      /** Comb of its motion blur, as a share of the light around; null where there is none to measure. */
      stepping: number | null;
      /** Of each part that is measured; null where that cannot be, or was not asked for. */
      flicker: (number | null)[] | null;
    }
  | { type: 'cancelled' }
  | { type: 'failed'; message: string }
);

const PROGRESS_MS = 200;
const PICTURE_MS = 1500;
const CHECKPOINT_SECONDS = Number(process.env.DAXEL_CHECKPOINT_SECONDS ?? 30);
const HISTORY_SECONDS = Number(process.env.DAXEL_CHECKPOINT_SECONDS ?? 10);
const FORMING_WIDTH = 960;
/** Renders of a step that take less are timed by several. */
const SHORT_SECONDS = 0.2;
const MOST_AT_ONCE = 8;

let pool: RenderPool | null = null;
let loaded = '';
interface Job {
  orderId: string;
  ticket: RenderTicket | null;
  cancelled: boolean;
  keep: boolean;
}
let current: Job | null = null;
/** The sequence whose history stands in the memory. */
let sequence: { orderId: string; run: FrameRun; savedAt: number } | null = null;

const send = (message: FromRenderProcess): void => {
  // a server that has just died is no news: the disconnect below ends this process
  process.send?.(message, undefined, undefined, () => undefined);
};
setPriority(10);
process.on('disconnect', () => process.exit(0));
process.on('message', (message: ToRenderProcess) => {
  if (message.type === 'still' || message.type === 'frame') void render(message);
  else if (message.type === 'step') void renderStep(message);
  else if (current?.orderId === message.orderId) {
    current.cancelled = true;
    current.keep = message.keep;
    current.ticket?.cancel();
  }
});

function begin(orderId: string): Job {
  return (current = { orderId, ticket: null, cancelled: false, keep: false });
}

async function render(order: StillOrder | FrameOrder): Promise<void> {
  const { orderId } = order;
  const job = begin(orderId);
  let timer: NodeJS.Timeout | undefined;
  try {
    pool = await poolFor(order);
    let pictureAt = 0;
    const width = order.recipe['output.width'] as number;
    const height = order.recipe['output.height'] as number;
    const { sceneKey, timeSeconds, seed } = order;
    const scene = pool.setScene(sceneKey, NOTHING);
    const cameraAt = order.type === 'frame' ? shotCameraAt(scene, order) : null;
    const camera = order.type === 'frame' ? cameraAt!(timeSeconds) : cameraOf(order);
    const { recipe, lighting } = await litBy(pool, sceneKey, order);
    const key = `${orderId} ${order.frame} ${order.recipeHash}`;
    const unfinished = checkpointFile(order.checkpointPath, key);
    const resume = await unfinished.read();
    const checkpointSeconds = CHECKPOINT_SECONDS;
    const request = { sceneId: sceneKey, recipe, lighting, camera, timeSeconds, seed, resume, checkpointSeconds };
    const onPicture = (views: FrameViews): void => {
      if (performance.now() - pictureAt < PICTURE_MS) return;
      send({ orderId, type: 'picture', png: formingPicture(views, width, height) });
      pictureAt = performance.now();
    };
    const run = order.type === 'frame' ? await sequenceRun(order, scene) : new FrameRun(pool, scene, order.rate);
    const ticket = run.frame(order.frame, request, { onPicture, onCheckpoint: (c) => unfinished.write(c) });
    job.ticket = ticket;
    if (job.cancelled) ticket.cancel();
    timer = setInterval(() => send({ orderId, type: 'progress', progress: ticket.progress() * 0.99 }), PROGRESS_MS);
    const frame = await ticket.promise;
    clearInterval(timer);
    if (!frame.finished && job.keep) await unfinished.settled();
    else await unfinished.remove();
    if (!frame.finished) return send({ orderId, type: 'cancelled' });
    const motion = cameraAt ? motionLayer(scene, frame, recipe, cameraAt, order.frame, order.rate) : undefined;
    const { rate } = order;
    const output: OutputInput = { frame, recipe, camera, layers: LAYER_NAMES, motion, rate };
    const files: { kind: StillFileKind; path: string }[] = [];
    for (const kind of order.forms) {
      if (job.cancelled) return send({ orderId, type: 'cancelled' });
      const path = join(order.outDir, `${orderId}-${kind}`);
      await atomicWrite(path, encodeStill(kind, output, order.recipeHash));
      files.push({ kind, path });
    }
    if (order.type === 'frame') await keepHistory(order, frame);
    const report = frameReport(frame, {
      frame: order.frame,
      tier: order.tier,
      recipeHash: order.recipeHash,
      warnings: [],
      outputs: [],
    });
    const check = checkFrame(frame.views.beauty.subarray(0, width * height * 3));
    send({ orderId, type: 'done', files, report, beautyHash: hashFloats(frame.views.beauty), check });
  } catch (error) {
    // what stands in the memory is not known any more
    sequence = null;
    send({ orderId, type: 'failed', message: (error as Error).message });
  } finally {
    clearInterval(timer);
    current = null;
  }
}

function shotCameraAt(scene: CompiledScene, { shot }: FrameOrder): (timeSeconds: number) => CameraView {
  const own = withSetup(findShot(scene, shot.name), shot);
  return (timeSeconds) => shotCamera(scene, own, timeSeconds);
}

/** What renders the frames of a sequence one after the other, with the history of the last one in its hands. */
async function sequenceRun(order: FrameOrder, scene: CompiledScene): Promise<FrameRun> {
  if (sequence?.orderId === order.orderId) return sequence.run;
  const kept = historyOptions(order.recipe) ? await fileOfHistory(order).read() : undefined;
  const own = kept && kept.frame >= order.first && kept.frame < order.frame ? kept : undefined;
  const run = new FrameRun(pool!, scene, order.rate, { first: order.first, kept: own });
  sequence = { orderId: order.orderId, run, savedAt: 0 };
  return run;
}

/** Now and then: what was not kept is rendered again when it is needed. */
async function keepHistory(order: FrameOrder, frame: RenderedFrame): Promise<void> {
  if (!sequence || !historyOptions(order.recipe)) return;
  const now = performance.now();
  if (now - sequence.savedAt < HISTORY_SECONDS * 1000) return;
  sequence.savedAt = now;
  const file = fileOfHistory(order);
  file.write(takeHistory(frame.views, order.frame, frame.width, frame.height));
  await file.settled();
}
function fileOfHistory(order: FrameOrder): ReturnType<typeof historyFile> {
  return historyFile(order.historyPath, `${order.orderId} ${order.recipeHash}`);
}

function cameraOf({ camera }: StillOrder | StepOrder): CameraView {
  return { ...camera, world: Float64Array.from(camera.world) };
}

/** The threads, with the order's scene in their hands. */
async function poolFor(order: SceneOrder): Promise<RenderPool> {
  if (!pool) {
    pool = createNodePool();
    pool.keepProbesIn(new ProbeShelf(order.bakedDir));
  }
  const threads = pool;
  // other pictures may take the place of a history in the memory
  if (sequence?.orderId !== order.orderId) sequence = null;
  if (loaded !== order.sceneKey) {
    threads.forgetScene(loaded);
    threads.setScene(order.sceneKey, await loadScene(order.scenePath));
    loaded = order.sceneKey;
  }
  return threads;
}

async function renderStep(order: StepOrder): Promise<void> {
  const { orderId, sceneKey, timeSeconds, seed } = order;
  const job = begin(orderId);
  let timer: NodeJS.Timeout | undefined;
  try {
    const threads = await poolFor(order);
    const camera = cameraOf(order);
    const { recipe, lighting } = await litBy(threads, sceneKey, order);
    const scene = threads.setScene(sceneKey, NOTHING);
    const regions = order.regions ?? undefined;
    const request = { sceneId: sceneKey, recipe, lighting, camera, timeSeconds, seed, regions, fresh: true };
    timer = setInterval(() => {
      if (job.ticket) send({ orderId, type: 'progress', progress: job.ticket.progress() * 0.99 });
    }, PROGRESS_MS);
    const first = await timedRender(threads, request, job);
    clearInterval(timer);
    if (!first) return send({ orderId, type: 'cancelled' });
    const { frame } = first;
    const output: OutputInput = { frame, recipe, camera, layers: ['beauty', 'error'] };
    const [png, exr] = ['png', 'exr'].map((kind) => join(order.outDir, `${orderId}-step-${kind}`));
    await atomicWrite(png, toPng8(output));
    if (order.isReference) await atomicWrite(exr, toExr(output, 'float'));
    const figures = order.referencePath
      ? await figuresAgainst(order.referencePath, frame, recipe, order.rects, regions !== undefined)
      : null;
    const more = { frame: 0, tier: '', recipeHash: '', warnings: [], outputs: [] };
    const stepping = order.regions ? null : steppingOf(order, request, frame, scene);
    const step = { png, exr: order.isReference ? exr : null, report: frameReport(frame, more), figures, stepping };
    const flicker =
      order.flicker && !order.regions
        ? await flickerOf(order, request, scene, threads, (ticket, progress) => {
            job.ticket = ticket;
            if (job.cancelled) ticket.cancel();
            send({ orderId, type: 'progress', progress });
          })
        : null;
    const { timing } = order;
    const other = timing.kind === 'beside' ? await litBy(threads, sceneKey, { ...order, recipe: timing.recipe }) : null;
    const quickest = (beside: boolean): Promise<TimedRender | null> =>
      quickestOf(first.workSeconds, () => timedRender(threads, beside ? { ...request, ...other } : request, job));
    const own = timing.kind === 'once' || first.workSeconds > SHORT_SECONDS ? first : await quickest(false);
    const times = own && (await timesOf(timing, own, quickest));
    if (job.cancelled || !times) return send({ orderId, type: 'cancelled' });
    send({ orderId, type: 'step', ...step, flicker, times });
  } catch (error) {
    send({ orderId, type: 'failed', message: (error as Error).message });
  } finally {
    clearInterval(timer);
    current = null;
  }
}

/** A render and the time the processor worked on it, shared among the threads: neighbours change that little. */
interface TimedRender {
  frame: RenderedFrame;
  workSeconds: number;
}

/** The quickest of as many renders as fill a moment: the shorter one is, the more of it is chance. */
async function quickestOf(seconds: number, render: () => Promise<TimedRender | null>): Promise<TimedRender | null> {
  let best: TimedRender | null = null;
  const count = Math.min(MOST_AT_ONCE, Math.max(1, Math.ceil(SHORT_SECONDS / seconds)));
  for (let i = 0; i < count; i++) {
    const next = await render();
    if (!next) return null;
    if (!best || next.workSeconds < best.workSeconds) best = next;
  }
  return best;
}

/** @returns null when it was cancelled */
async function timedRender(threads: RenderPool, request: FrameRequest, job: Job): Promise<TimedRender | null> {
  const idle = process.cpuUsage();
  const ticket = threads.render(request);
  job.ticket = ticket;
  if (job.cancelled) ticket.cancel();
  const frame = await ticket.promise;
  const { user, system } = process.cpuUsage(idle);
  if (!frame.finished) return null;
  // what was baked for it is baked for all frames, unless it follows each: it is no part of the price of one
  if (frame.probes && frame.probes.seconds > 0 && !frame.probes.follows) return timedRender(threads, request, job);
  return { frame, workSeconds: (user + system) / 1e6 / threads.threads };
}

/** Gives the rig's picture to the pool. @returns the light, and the recipe exposed as the rig asks */
async function litBy(renderPool: RenderPool, sceneKey: string, order: SceneOrder) {
  const { rig, picturePath, recipe } = order;
  if (!rig) return { recipe, lighting: undefined };
  const id = rig.environment.picture;
  if (id && picturePath && !renderPool.hasPicture(id))
    renderPool.setPicture(id, unpackPicture((await loadScene(picturePath)) as ArrayBufferLike));
  const { lighting } = rigLighting(rig, renderPool.setScene(sceneKey, NOTHING).meta);
  return { recipe: exposedBy(recipe, rig), lighting };
}
/** The scene is known already: its memory is not read again. */
const NOTHING = new ArrayBuffer(0);

function encodeStill(kind: StillFileKind, output: OutputInput, recipeHash: string): Uint8Array {
  switch (kind) {
    case 'png8':
      return toPng8(output);
    case 'png16':
      return toPng16(output);
    default:
      return toExr(output, kind === 'exr-half' ? 'half' : 'float', { recipeHash });
  }
}

/** The picture so far, thinned to a width that is quick to encode. */
function formingPicture(views: FrameViews, width: number, height: number): Uint8Array {
  const step = Math.max(1, Math.ceil(width / FORMING_WIDTH));
  const w = Math.ceil(width / step);
  const h = Math.ceil(height / step);
  const small = new Uint8Array(w * h * 4);
  for (let y = 0; y < h; y++) {
    for (let x = 0; x < w; x++) {
      const from = (y * step * width + x * step) * 4;
      small.set(views.display.subarray(from, from + 4), (y * w + x) * 4);
    }
  }
  return encodePng8(small, w, h);
}
