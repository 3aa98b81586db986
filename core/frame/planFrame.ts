/**
 * All that is decided of a frame before anything is drawn: what the recipe comes to, which arrays each stage works in, and
 * by which names what it makes is known again. Made once a frame and handed to every thread: threads that each worked it
 * out for themselves would write over one another where two of them came to different ends.
 */
import { choiceKey } from '../scene/detail';
import type { CompiledScene } from '../scene/compiled';
import type { ShadowPlan } from '../shadows/planShadows';
import type { PlannedFrame } from './frameJob';
import { framePlan } from './frameMemory';
import { frameSettings } from './frameSettings';
import { lookAt } from './look';
import { arenaBytes, arenaBytesByStage, type ArenaPlan } from './memory';
import { detailOf } from './moment';
import type { FrameRequest } from './renderPool';
import { frameInstants } from './shutter';
import { STAGE_NAMES, stageOf, type StageName } from './stages/frameStages';
import { mostMapTiles } from './stages/shadowMaps';
import type { PlanContext } from './stages/stage';

/** What a stage does in a frame, and what it takes. */
export interface PlannedStage {
  name: StageName;
  /** Null where it has nothing to do. */
  options: unknown;
  arena: ArenaPlan;
  bytes: number;
  /** What its memory holds when the first instant is drawn; empty where that is nothing that stays. */
  key: string;
}

export interface FramePlan {
  frame: PlannedFrame;
  /** Shadow maps at the first instant. */
  maps: ShadowPlan;
  stages: PlannedStage[];
  /** What samples are drawn in and developed from. */
  arena: ReturnType<typeof framePlan>;
  bytes: number;
  /** Frames of one such name work in the same memory. */
  key: string;
}

/** Stages of a pass that bakes. */
const BAKES: ReadonlySet<StageName> = new Set<StageName>(['geometry', 'rays', 'probes']);

/** @param threads that will share the work: some arrays have a part for each @param bakes see `bakeOrder` */
export function planFrame(scene: CompiledScene, request: FrameRequest, threads: number, bakes = false): FramePlan {
  const { sceneId, history, camera, timeSeconds } = request;
  const { meta } = scene;
  const view = request.view ?? 'picture';
  const settings = frameSettings(request.recipe, view);
  const levels = settings.detail && detailOf(scene, request, settings.detail);
  const frame: PlannedFrame = {
    ...{ sceneId, settings, view, levels, threads, bakes },
    lighting: request.lighting ?? { lights: meta.lights, environment: meta.environment },
    instants: frameInstants(request, settings),
    detail: levels ? choiceKey(levels) : 'all',
  };
  const first = lookAt(scene, { ...frame, camera, timeSeconds }, 0);
  const context: PlanContext = { ...frame, scene, recipe: request.recipe, first };
  const stages = STAGE_NAMES.map((name): PlannedStage => {
    const stage = stageOf(name);
    const options = bakes && !BAKES.has(name) ? null : stage.options(context);
    const arena = stage.memory(context, options);
    const key = options === null ? null : stage.key(frame, options, first);
    return { name, options, arena, bytes: arenaBytes(arena), key: key ?? '' };
  });
  const mapTiles = mostMapTiles(context);
  const arena = framePlan(scene, settings, { threads, mapTiles, accumulates: history !== undefined });
  const { width, height, render } = settings;
  const sizes = [width, height, render.width, render.height, settings.wide.margin, mapTiles, settings.path !== null];
  return {
    ...{ frame, maps: first.maps, stages, arena },
    bytes: arenaBytes(arena),
    key: [sceneId, ...sizes, history?.run ?? ''].join(),
  };
}

/** Bytes of a planned frame by stage. @param scene bytes that the scene itself takes */
export function plannedBytes({ arena, stages }: FramePlan, scene: number): ReturnType<typeof arenaBytesByStage> {
  const bytes = arenaBytesByStage(arena, ...stages.map((s) => s.arena));
  bytes.geometry = (bytes.geometry ?? 0) + scene;
  return bytes;
}
