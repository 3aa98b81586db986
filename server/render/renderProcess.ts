/** Entry of the separate process that renders stills, one at a time, so that the server stays quick. */
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { inflateSync } from 'node:zlib';
import { setPriority } from 'node:os';
import { STILL_FILES, type CameraState, type StillFileKind } from '@daxel/api/schemas';
import type { FrameViews } from '@daxel/core/frame/frameMemory';
import { LAYER_NAMES } from '@daxel/core/frame/layers';
import type { RenderedFrame, RenderPool, RenderTicket } from '@daxel/core/frame/renderPool';
import type { ToneCurve } from '@daxel/core/film/tone';
import {
  checkPair,
  errorFigures,
  pairMaps,
  type ErrorFigures,
  type MeasuredImage,
} from '@daxel/core/measure/imageError';
import type { Rect } from '@daxel/core/measure/rect';
import { readPicture } from '@daxel/formats/image/readPicture';
import { hashFloats } from '@daxel/core/math/hash';
import { FrameRun } from '@daxel/core/frame/run';
import type { CameraView } from '@daxel/core/scene/camera';
import { exposedBy, rigLighting, type Rig } from '@daxel/core/light/rig';
import type { ResolvedRecipe } from '@daxel/core/recipe/recipe';
import { encodePng8 } from '@daxel/formats/png/displayPng';
import { unpackPicture } from '@daxel/formats/environment/storedPicture';
import { atomicWrite } from '../store/atomicWrite';
import { loadScene } from './loadScene';
import { createNodePool } from './nodePool';
import { checkpointFile } from './unfinishedFile';
import { toExr, toPng16, toPng8, type OutputInput } from './outputs';
import { frameReport, type FrameReport } from './report';

/** What both kinds of order render. */
export interface SceneOrder {
  stillId: string;
  scenePath: string;
  sceneKey: string;
  recipe: ResolvedRecipe;
  /** Null for the scene's own light. */
  rig: Rig | null;
  /** Stored environment picture of the rig. */
  picturePath: string | null;
  camera: CameraState;
  timeSeconds: number;
  seed: number;
  /** Where the files are left for the server to take over. */
  outDir: string;
}
export interface StillOrder extends SceneOrder {
  type: 'still';
  recipeHash: string;
  tier: string;
  frame: number;
  /** Frames a second: lead-in frames come before this one. */
  rate: number;
  /** Where a path-traced still is kept half way, to go on from after a restart. */
  checkpointPath: string;
}
/** One step of a wedge, measured against its reference where there is one already. */
export interface StepOrder extends SceneOrder {
  type: 'step';
  /** Parts of the picture that are rendered, pixels; null for all of it. */
  regions: Rect[] | null;
  /** Parts that are measured. */
  rects: Rect[];
  /** EXR file of the reference. */
  referencePath: string | null;
}
export type ToRenderProcess = StillOrder | StepOrder | { type: 'cancel'; stillId: string };
export type FromRenderProcess = { stillId: string } & (
  | { type: 'progress'; progress: number }
  | { type: 'picture'; png: Uint8Array }
  | { type: 'done'; files: { kind: StillFileKind; path: string }[]; report: FrameReport; beautyHash: string }
  | {
      type: 'step';
      png: string;
      exr: string;
      report: FrameReport;
      /** Time the processor worked on it, shared among the threads: neighbours on the machine change it little. */
      workSeconds: number;
      figures: ErrorFigures[] | null;
    }
  | { type: 'cancelled' }
  | { type: 'failed'; message: string }
);

const PROGRESS_MS = 200;
const PICTURE_MS = 1500;
const CHECKPOINT_SECONDS = Number(process.env.DAXEL_CHECKPOINT_SECONDS ?? 30);
const FORMING_WIDTH = 960;

let pool: RenderPool | null = null;
let loaded = '';
let current: { stillId: string; ticket: RenderTicket | null; cancelled: boolean } | null = null;

const send = (message: FromRenderProcess): void => {
  // a server that has just died is no news: the disconnect below ends this process
  process.send?.(message, undefined, undefined, () => undefined);
};
setPriority(10);
process.on('disconnect', () => process.exit(0));
process.on('message', (message: ToRenderProcess) => {
  if (message.type === 'still') void render(message);
  else if (message.type === 'step') void renderStep(message);
  else if (current?.stillId === message.stillId) {
    current.cancelled = true;
    current.ticket?.cancel();
  }
});

async function render(order: StillOrder): Promise<void> {
  const { stillId } = order;
  const job: NonNullable<typeof current> = { stillId, ticket: null, cancelled: false };
  current = job;
  let timer: NodeJS.Timeout | undefined;
  try {
    pool = await poolFor(order);
    let pictureAt = 0;
    const width = order.recipe['output.width'] as number;
    const height = order.recipe['output.height'] as number;
    const camera = cameraOf(order);
    const { sceneKey, timeSeconds, seed } = order;
    const { recipe, lighting } = await litBy(pool, sceneKey, order);
    const unfinished = checkpointFile(order.checkpointPath, `${stillId} ${order.recipeHash}`);
    const resume = await unfinished.read();
    const checkpointSeconds = CHECKPOINT_SECONDS;
    const request = { sceneId: sceneKey, recipe, lighting, camera, timeSeconds, seed, resume, checkpointSeconds };
    const onPicture = (views: FrameViews): void => {
      if (performance.now() - pictureAt < PICTURE_MS) return;
      send({ stillId, type: 'picture', png: formingPicture(views, width, height) });
      pictureAt = performance.now();
    };
    const run = new FrameRun(pool, pool.setScene(sceneKey, NOTHING), order.rate);
    const ticket = run.frame(order.frame, request, { onPicture, onCheckpoint: (c) => unfinished.write(c) });
    job.ticket = ticket;
    if (job.cancelled) ticket.cancel();
    timer = setInterval(() => send({ stillId, type: 'progress', progress: ticket.progress() * 0.99 }), PROGRESS_MS);
    const frame = await ticket.promise;
    clearInterval(timer);
    await unfinished.remove();
    if (!frame.finished) return send({ stillId, type: 'cancelled' });
    const output: OutputInput = { frame, recipe, camera, layers: LAYER_NAMES };
    const files: { kind: StillFileKind; path: string }[] = [];
    for (const kind of STILL_FILES) {
      if (job.cancelled) return send({ stillId, type: 'cancelled' });
      const path = join(order.outDir, `${stillId}-${kind}`);
      await atomicWrite(path, encodeStill(kind, output, order.recipeHash));
      files.push({ kind, path });
    }
    const report = frameReport(frame, {
      frame: order.frame,
      tier: order.tier,
      recipeHash: order.recipeHash,
      warnings: [],
      outputs: [],
    });
    send({ stillId, type: 'done', files, report, beautyHash: hashFloats(frame.views.beauty) });
  } catch (error) {
    send({ stillId, type: 'failed', message: (error as Error).message });
  } finally {
    clearInterval(timer);
    current = null;
  }
}

function cameraOf({ camera }: SceneOrder): CameraView {
  return { ...camera, world: Float64Array.from(camera.world) };
}

/** The threads, with the order's scene in their hands. */
async function poolFor(order: SceneOrder): Promise<RenderPool> {
  const threads = (pool ??= createNodePool());
  if (loaded !== order.sceneKey) {
    threads.forgetScene(loaded);
    threads.setScene(order.sceneKey, await loadScene(order.scenePath));
    loaded = order.sceneKey;
  }
  return threads;
}

async function renderStep(order: StepOrder): Promise<void> {
  const { stillId, sceneKey, timeSeconds, seed } = order;
  const job: NonNullable<typeof current> = { stillId, ticket: null, cancelled: false };
  current = job;
  let timer: NodeJS.Timeout | undefined;
  try {
    const threads = await poolFor(order);
    const camera = cameraOf(order);
    const { recipe, lighting } = await litBy(threads, sceneKey, order);
    const regions = order.regions ?? undefined;
    const request = { sceneId: sceneKey, recipe, lighting, camera, timeSeconds, seed, regions, fresh: true };
    const idle = process.cpuUsage();
    const ticket = threads.render(request);
    job.ticket = ticket;
    if (job.cancelled) ticket.cancel();
    timer = setInterval(() => send({ stillId, type: 'progress', progress: ticket.progress() * 0.99 }), PROGRESS_MS);
    const frame = await ticket.promise;
    clearInterval(timer);
    const { user, system } = process.cpuUsage(idle);
    const workSeconds = (user + system) / 1e6 / threads.threads;
    if (!frame.finished) return send({ stillId, type: 'cancelled' });
    const output: OutputInput = { frame, recipe, camera, layers: ['beauty', 'error'] };
    const [png, exr] = ['png', 'exr'].map((kind) => join(order.outDir, `${stillId}-step-${kind}`));
    await atomicWrite(png, toPng8(output));
    await atomicWrite(exr, toExr(output, 'float'));
    const figures = order.referencePath ? await figuresAgainst(order.referencePath, frame, recipe, order.rects) : null;
    const more = { frame: 0, tier: '', recipeHash: '', warnings: [], outputs: [] };
    send({ stillId, type: 'step', png, exr, report: frameReport(frame, more), workSeconds, figures });
  } catch (error) {
    send({ stillId, type: 'failed', message: (error as Error).message });
  } finally {
    clearInterval(timer);
    current = null;
  }
}

/** @throws BadInputError when the reference is of another size */
async function figuresAgainst(
  path: string,
  frame: RenderedFrame,
  recipe: ResolvedRecipe,
  rects: readonly Rect[],
): Promise<ErrorFigures[]> {
  const inflate = (packed: Uint8Array, limit: number): Uint8Array => inflateSync(packed, { maxOutputLength: limit });
  const tone = recipe['lens.tone'] as ToneCurve;
  const reference = { ...readPicture(await readFile(path), 'the reference', inflate), tone };
  const { width, height } = frame;
  const rgb = frame.views.beauty.slice(0, width * height * 3);
  const image: MeasuredImage = { name: 'this step', width, height, rgb, tone };
  checkPair(image, reference);
  const maps = pairMaps(image, reference);
  return rects.map((rect) => errorFigures(image, reference, maps, rect));
}

/** Gives the rig's picture to the pool. @returns the light, and the recipe exposed as the rig asks */
async function litBy(renderPool: RenderPool, sceneKey: string, order: SceneOrder) {
  const { rig, picturePath, recipe } = order;
  if (!rig) return { recipe, lighting: undefined };
  const id = rig.environment.picture;
  if (id && picturePath && !renderPool.hasPicture(id))
    renderPool.setPicture(id, unpackPicture((await loadScene(picturePath)) as ArrayBufferLike));
  const { lights, environment } = rigLighting(rig, renderPool.setScene(sceneKey, NOTHING).meta);
  return { recipe: exposedBy(recipe, rig), lighting: { lights, environment } };
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
