/** What one thread has in hands for a frame. */
import type { EnvironmentViews } from '../around/environment/stage';
import type { OcclusionViews } from '../around/occlusion/stage';
import type { ProbeViews } from '../around/probes/stage';
import type { ScreenViews } from '../around/screen/stage';
import type { MirrorViews } from '../around/mirrors/stage';
import type { TracedViews } from '../around/traced/stage';
import type { VoxelViews } from '../around/voxels/stage';
import { hash32, hashCombine } from '../math/random';
import type { Rect } from '../measure/rect';
import type { SurfaceInput } from '../raster/surface';
import type { CompiledScene } from '../scene/compiled';
import type { EnvironmentPicture } from '../scene/source';
import type { StageClock } from './clock';
import type { FrameJob } from './frameJob';
import type { FrameViews } from './frameMemory';
import type { Rasterizer } from './rasterizer';
import type { GeometryViews } from './stages/geometry';
import type { PrepassViews } from './stages/prepass';
import type { RayViews } from './stages/rays';
import type { ShadowViews } from './stages/shadowMaps';
import type { Team } from './team';

/** The memory of every stage. */
export interface StageViews {
  geometry: GeometryViews;
  rays: RayViews;
  environment: EnvironmentViews;
  shadows: ShadowViews;
  prepass: PrepassViews;
  occlusion: OcclusionViews;
  screen: ScreenViews;
  traced: TracedViews;
  mirrors: MirrorViews;
  voxels: VoxelViews;
  probes: ProbeViews;
}

export interface FrameWork extends FrameJob, StageViews {
  /** The scene with all of its triangles. */
  source: CompiledScene;
  /** The same with those that the frame draws. */
  scene: CompiledScene;
  picture: EnvironmentPicture | null;
  /** At the size at which it is computed. */
  frame: FrameViews;
  /** At the size at which it comes out. */
  whole: FrameViews;
  /** Where all of that lies when the compiled loops can work on it. */
  memory: WebAssembly.Memory | null;
  team: Team;
  clock: StageClock;
  pattern: SamplePattern;
  /** Parts of the computed picture that are wanted; null for all of it. */
  parts: readonly Rect[] | null;
  /** What draws triangles; made when a stage first asks for it. */
  rasterizer: () => Rasterizer;
}

/** Where samples lie. */
export interface SamplePattern {
  seed: number;
  /** Samples of it that frames before this one took. */
  base: number;
  /** Samples that it is made for. */
  positions: number;
  /** Hashed, of places in pixels and on the lens. */
  pixelSeed: number;
}

/** Frames may be numbered below zero. */
const FRAMES_BEFORE = 1 << 10;

export function samplePattern({ settings, history, seed, timeSeconds }: FrameJob): SamplePattern {
  // frames that are averaged share one pattern, each with the next samples of it
  if (settings.history && history) {
    const base = (Math.max(0, history.frame + FRAMES_BEFORE) * settings.samples) >>> 0;
    return { seed, base, positions: Infinity, pixelSeed: hash32(seed) };
  }
  const own = settings.movingPattern ? hashCombine(seed, Math.round(timeSeconds * 24000)) : seed;
  // a frame by itself with one sample takes it in the middle
  return { seed: own, base: 0, positions: settings.samples, pixelSeed: hash32(own) };
}

/** What surfaces are read from. */
export function surfacesOf({ scene, geometry, frame, settings: { textureBias, steady } }: FrameWork): SurfaceInput {
  return { scene, posed: geometry, clip: frame.clip, textureBias, steady };
}

/** How far from the middles of pixels samples may lie, pixels. */
export function sampleReach({ pattern, settings }: FrameWork): number {
  return pattern.positions > 1 ? settings.filterRadius : 0;
}

/** Numbers of the tiles that any of some parts of a picture touches; all tiles without parts. */
export function wantedTiles(parts: readonly Rect[] | null, across: number, down: number, side: number): number[] {
  const all = Array.from({ length: across * down }, (_, i) => i);
  if (!parts) return all;
  return all.filter((i) => {
    const x = (i % across) * side;
    const y = Math.floor(i / across) * side;
    return parts.some((r) => x < r.x + r.width && x + side > r.x && y < r.y + r.height && y + side > r.y);
  });
}
