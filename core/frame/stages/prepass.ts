/**
 * What each pixel sees through its middle, for stages and shading that look at neighbours: drawn only where one of them
 * asks, and read only when all of it is there, so that threads cannot matter.
 */
import { AROUND_METHODS } from '../../around/methods';
import type { AroundStage, PrepassNeeds } from '../../around/method';
import { writeTileDepth, writeTileNormals } from '../tileArrays';
import type { ArenaPlan, ArenaViews } from '../memory';
import type { FrameStage, PlanContext } from './stage';

function arenaOf({ settings: { render } }: PlanContext, { depth, normals }: PrepassNeeds) {
  const pixels = render.width * render.height;
  return {
    /** Metres along the view axis, 0 where nothing is. */
    prepassDepth: { type: 'f32', length: depth ? pixels : 0, stage: 'geometry' },
    /** Of the true faces, on the side that is seen; anything where nothing is. */
    prepassNormals: { type: 'f32', length: normals ? pixels * 3 : 0, stage: 'geometry' },
  } as const satisfies ArenaPlan;
}
type PrepassArena = ReturnType<typeof arenaOf>;
export type PrepassViews = ArenaViews<PrepassArena>;

const METHODS = Object.values(AROUND_METHODS) as AroundStage<unknown, ArenaPlan>[];
const NOTHING: PrepassNeeds = { depth: false, normals: false };

export const prepassStage: FrameStage<PrepassNeeds, PrepassArena> = {
  each: 'eye',
  options(context) {
    const { settings } = context;
    if (settings.path) return null;
    const contact = { depth: settings.contact.length > 0, normals: false };
    const needs = [contact, ...METHODS.flatMap((method) => needsOf(method, context))];
    const depth = needs.some((n) => n.depth);
    return depth ? { depth, normals: needs.some((n) => n.normals) } : null;
  },
  memory: (context, options) => arenaOf(context, options ?? NOTHING),
  key: () => null,
  open(work, { normals }, { prepassDepth, prepassNormals }) {
    const { scene, geometry, settings, team, clock } = work;
    const raster = work.rasterizer();
    const { width } = settings.render;
    return {
      prepare({ eye }) {
        // a part of the picture takes up what the whole one shows beside it
        if (!raster.sortPicture(eye, true)) return false;
        const draw = clock.timed('geometry', (t) => {
          raster.draw(t, 0.5, 0.5);
          writeTileDepth(raster.tile, prepassDepth, width, eye.camera);
          if (normals)
            writeTileNormals(raster.tile, scene, geometry.positions, {
              rays: eye.rays,
              normals: prepassNormals,
              width,
            });
        });
        return team.share(raster.tilesInAll, draw);
      },
    };
  },
};

function needsOf(method: AroundStage<unknown, ArenaPlan>, context: PlanContext): PrepassNeeds[] {
  const options = method.options(context);
  return options === null ? [] : [method.needs(options)];
}
