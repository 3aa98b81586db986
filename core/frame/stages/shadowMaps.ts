/** The scene as each light sees it, and how samples are lit by that. */
import type { FrameLight } from '../../light/frameLight';
import { boxOfChunks } from '../../raster/chunkBounds';
import { lensOf } from '../../scene/aperture';
import type { PlacedLight } from '../../scene/source';
import type { Seen } from '../../shadows/askedTiles';
import { roundLights, type LightRound, type MapSizes } from '../../shadows/planShadows';
import type { ShadowReading } from '../../shadows/shadowAt';
import { mapTilesAcross } from '../../shadows/shadowMap';
import type { PlannedFrame } from '../frameJob';
import type { FrameSettings } from '../frameSettings';
import { sampleReach, type FrameWork } from '../frameWork';
import type { Look } from '../look';
import { createMapDrawer } from '../mapDrawer';
import { hasGlass } from '../materialRules';
import type { ArenaPlan, ArenaViews } from '../memory';
import { mapsKey } from '../moment';
import { posedKey } from './geometry';
import type { FrameStage, PlanContext } from './stage';

/** What decides the size of the memory of all shadow maps. */
interface MapNeeds {
  sizes: MapSizes;
  /** Glass casts coloured shadows. */
  glass: boolean;
  /** A light is filtered by moments. */
  moments: boolean;
}

/** See `ShadowMemory`. */
function arenaOf(needs: MapNeeds | null) {
  const { texels, blocks, tiles } = needs?.sizes ?? { texels: 0, blocks: 0, tiles: 0 };
  return {
    shadowTexels: { type: 'f32', length: texels, stage: 'shadows' },
    shadowBlocks: { type: 'f32', length: blocks * 2, stage: 'shadows' },
    // 1 for each tile that is drawn: the others hold anything
    shadowTiles: { type: 'u8', length: tiles, stage: 'shadows' },
    glassDepth: { type: 'f32', length: needs?.glass ? texels : 0, stage: 'shadows' },
    glassTint: { type: 'u32', length: needs?.glass ? texels : 0, stage: 'shadows' },
    moments: { type: 'f32', length: needs?.moments ? texels * 4 : 0, stage: 'shadows' },
  } as const satisfies ArenaPlan;
}
type ShadowArena = ReturnType<typeof arenaOf>;
export type ShadowViews = ArenaViews<ShadowArena>;

export interface LitLook {
  /** How the maps of each light are read, by `FrameLight.index`. */
  readings: readonly ShadowReading[];
  /** All lights with soft ones at some of their positions, whose maps are drawn; null when cancelled. */
  lightsAt(round: LightRound): FrameLight[] | null;
}

export const shadowStage: FrameStage<MapNeeds, ShadowArena> = {
  each: 'instant',
  options({ scene, settings, lighting, first }) {
    // paths ask with rays
    if (settings.path) return null;
    return {
      sizes: first.maps.all,
      glass: settings.glassShadows && hasGlass(scene),
      moments: filtersOf(settings, lighting.lights).includes('moment'),
    };
  },
  memory: (_context, options) => arenaOf(options),
  key(frame, { glass, moments }, look) {
    const { settings, lighting } = frame;
    const { kept, all } = look.maps;
    // the arrays of the maps lie one behind the other: other sizes move them
    const blurs = moments ? [filtersOf(settings, lighting.lights), settings.reading.radius] : [];
    const layout = [glass, moments, kept.texels, all.texels, all.blocks, ...blurs].join();
    return [posedKey(frame, look), layout, mapsKey(look.maps)].join('|');
  },
  open(work, _options, views) {
    const { scene, settings, lighting, frame, team, clock, pattern } = work;
    const raster = work.rasterizer();
    const { lights: sources } = lighting;
    const drawMap = createMapDrawer({
      ...{ scene, shadows: views, clip: frame.clip, team },
      ...{ casts: raster.casts, chunks: raster.chunks, coverage: raster.coverage, binsFor: raster.binsFor },
      sortInto: (into) => raster.sort({ ...into, reach: 0, stage: 'shadows' }),
      timed: (run) => clock.timed('shadows', run),
    });
    return {
      prepare(look, stands) {
        const { maps, moment } = look;
        const readings = sources.map((source, i) => readingOf(source, settings, maps.softness.estimated.includes(i)));
        const seen = seenFrom(work, look);
        look.lit = {
          readings,
          lightsAt(round) {
            const { width, height } = settings.render;
            const seenBy = { bounds: scene.meta.bounds, camera: moment.camera, aspect: width / height };
            const context = { lighting: sources, ...seenBy, options: settings.shadows };
            const { lights, drawn } = roundLights(maps, context, pattern.seed, round);
            return drawn.every(({ view, index }) => drawMap(view, readings[index], seen, false)) ? lights : null;
          },
        };
        return maps.lights.every((light) =>
          [...new Set(light.maps)].every((view) => drawMap(view, readings[light.index], seen, stands)),
        );
      },
    };
  },
};

/** Texels along one side of the largest map that may be drawn. */
export function largestMap({ settings, lighting, first: { maps } }: PlanContext): number {
  const { shadows } = settings;
  const planned = maps.lights.flatMap((l) => l.maps.map((m) => m.resolution));
  if (maps.soft.length === 0) return Math.max(0, ...planned);
  // maps of single positions on soft lights come and go: any of them may be as large as a recipe or a light lets it be
  const own = lighting.lights.map((l) => l.shadow?.resolution ?? 0);
  return Math.max(shadows.resolution, shadows.localResolution, ...own, ...planned);
}

/** Tiles of the largest map that may be drawn. */
export function mostMapTiles(context: PlanContext): number {
  return mapTilesAcross(largestMap(context)) ** 2;
}

function filtersOf({ reading }: FrameSettings, lights: PlannedFrame['lighting']['lights']): ShadowReading['filter'][] {
  return lights.map((l) => l.shadow?.filter ?? reading.filter);
}

/** What the picture shows, as far as that says where shadows are asked for: not of instruments and open lenses. */
function seenFrom(work: FrameWork, { eye }: Look): Seen | null {
  if (work.view !== 'picture' || lensOf(eye.camera)) return null;
  const { parts, chunks } = work.rasterizer();
  const seen = { reach: 1 + sampleReach(work), bounds: boxOfChunks(work.geometry, chunks) };
  // what all of the picture sends is lit as well
  if (work.prepass.senderLight.length === 0) return { ...seen, toPixels: eye.toPixels, parts };
  const { toPixels, width, height } = eye.wide;
  return { ...seen, toPixels, parts: [{ x: 0, y: 0, width, height }] };
}

/** How a light's maps are read: as the recipe says, but for what the light has otherwise. */
function readingOf(source: PlacedLight, { reading }: FrameSettings, estimated: boolean): ShadowReading {
  const own = source.shadow ?? {};
  const manual = own.slopeBias !== undefined || own.normalOffset !== undefined;
  return {
    ...reading,
    filter: own.filter ?? (estimated ? 'soft' : reading.filter),
    slopeBias: own.slopeBias ?? reading.slopeBias,
    normalOffset: own.normalOffset ?? reading.normalOffset,
    automatic: reading.automatic && !manual,
  };
}
