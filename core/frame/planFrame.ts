/**
 * All that is decided of a frame before anything is drawn: what the recipe comes to, which arrays it works in, and by which
 * names what it makes is known again. Made once a frame and handed to every thread: threads that each worked it out for
 * themselves would write over one another where two of them came to different ends.
 */
import { choiceKey } from '../scene/detail';
import type { CompiledScene } from '../scene/compiled';
import type { Lighting } from '../scene/source';
import { planShadows, type ShadowPlan } from '../shadows/planShadows';
import { framePlan, posePlan, shadowPlan, type ShadowNeeds } from './frameMemory';
import { frameSettings, type FrameSettings } from './frameSettings';
import { hasGlass } from './materialRules';
import { arenaBytes, arenaBytesByStage } from './memory';
import { detailOf, mapsKey, momentAt } from './moment';
import type { FrameRequest } from './renderPool';
import { frameInstants } from './shutter';

/** What a thread is told of the arrays: see `arenaViews`. */
export interface FrameArenaPlans {
  pose: ReturnType<typeof posePlan>;
  shadows: ReturnType<typeof shadowPlan>;
  frame: ReturnType<typeof framePlan>;
}

/** Names of what stands in the memory at one end of a frame. */
interface StandsAt {
  pose: string;
  shadows: string;
}

export interface FramePlan {
  settings: FrameSettings;
  lighting: Lighting;
  view: NonNullable<FrameRequest['view']>;
  /** Seconds, in the order in which they are drawn. */
  instants: number[];
  /** Level of detail per instance; null where all are full. */
  levels: Uint8Array | null;
  /** Shadow maps at the first instant. */
  maps: ShadowPlan;
  arenas: FrameArenaPlans;
  /** Bytes of the arrays of each lifetime. */
  bytes: Record<keyof FrameArenaPlans, number>;
  keys: {
    environment: string;
    /** What stands when the first instant is drawn, and what when the last one is. */
    first: StandsAt;
    last: StandsAt;
    /** Frames of one such name work in the same memory. */
    frame: string;
  };
}

/** @param threads that will share the work: some arrays have a part for each */
export function planFrame(scene: CompiledScene, request: FrameRequest, threads: number): FramePlan {
  const { sceneId, camera, timeSeconds, history } = request;
  const { meta } = scene;
  const view = request.view ?? 'picture';
  const settings = frameSettings(request.recipe, view);
  const lighting = request.lighting ?? { lights: meta.lights, environment: meta.environment };
  const instants = frameInstants(request, settings);
  const levels = settings.detail && detailOf(scene, request, settings.detail);
  const aspect = settings.width / settings.height;
  const at = (instant: number): { poseKey: string; maps: ShadowPlan } => {
    const moment = momentAt(scene, camera, timeSeconds, instant);
    const { shadows } = settings;
    return {
      poseKey: moment.poseKey,
      maps: planShadows(lighting.lights, meta.bounds, moment.world, moment.camera, aspect, shadows),
    };
  };
  const first = at(instants[0]);
  const last = instants.length > 1 ? at(instants[instants.length - 1]) : first;
  const filters = lighting.lights.map((l) => l.shadow?.filter ?? settings.reading.filter);
  const needs: ShadowNeeds = {
    sizes: first.maps.all,
    glass: settings.glassShadows && hasGlass(scene),
    moments: filters.includes('moment'),
    largest: largestMap(settings, lighting, first.maps),
  };
  const rays = settings.shadows.traced || view === 'faults';
  const arenas = {
    pose: posePlan(scene, rays, levels !== null),
    shadows: shadowPlan(needs),
    frame: framePlan(scene, settings, needs.largest, threads, history !== undefined),
  };

  const { kept, all } = first.maps;
  // the arrays of the maps lie one behind the other: other sizes move them
  const blurs = needs.moments ? [filters, settings.reading.radius] : [];
  const layout = [needs.glass, needs.moments, kept.texels, all.texels, all.blocks, ...blurs].join();
  const detail = levels ? choiceKey(levels) : 'all';
  const standsAt = ({ poseKey, maps }: typeof first): StandsAt => {
    const pose = [sceneId, poseKey, rays, detail].join();
    return { pose, shadows: [pose, layout, mapsKey(maps)].join('|') };
  };
  const standsFirst = standsAt(first);
  const sizes = [settings.width, settings.height, settings.render.width, settings.render.height, needs.largest];
  const kinds = [settings.contact.length > 0, settings.path !== null, history?.run ?? ''];
  return {
    ...{ settings, lighting, view, instants, levels, maps: first.maps, arenas },
    bytes: { pose: arenaBytes(arenas.pose), shadows: arenaBytes(arenas.shadows), frame: arenaBytes(arenas.frame) },
    keys: {
      environment: JSON.stringify([sceneId, lighting.environment, rays, levels !== null]),
      first: standsFirst,
      last: last === first ? standsFirst : standsAt(last),
      frame: [sceneId, ...sizes, ...kinds].join(),
    },
  };
}

/** Bytes of a planned frame by stage. @param scene bytes that the scene itself takes */
export function plannedBytes({ arenas }: FramePlan, scene: number): ReturnType<typeof arenaBytesByStage> {
  const bytes = arenaBytesByStage({ ...arenas.pose, ...arenas.shadows, ...arenas.frame });
  bytes.geometry = (bytes.geometry ?? 0) + scene;
  return bytes;
}

/** Texels along one side of the largest map that may be drawn. */
function largestMap({ shadows }: FrameSettings, { lights }: Lighting, maps: ShadowPlan): number {
  const planned = maps.lights.flatMap((l) => l.maps.map((m) => m.resolution));
  if (maps.soft.length === 0) return Math.max(0, ...planned);
  // maps of single positions on soft lights come and go: any of them may be as large as a recipe or a light lets it be
  const own = lights.map((l) => l.shadow?.resolution ?? 0);
  return Math.max(shadows.resolution, shadows.localResolution, ...own, ...planned);
}
