/**
 * What each pixel sees through its middle, for stages and shading that look at neighbours: drawn only where one of them
 * asks, and read only when all of it is there, so that threads cannot matter.
 */
import { SENDER_FACE, SENDER_STRIDE } from '@daxel/kernel/generated/layouts/sender';
import { AROUND_METHODS } from '../../around/methods';
import type { AroundStage, PrepassNeeds } from '../../around/method';
import { takenOf } from '../../raster/tile';
import { writeTileDepth, writeTileNormals } from '../tileArrays';
import type { ArenaPlan, ArenaViews } from '../memory';
import type { FrameStage, PlanContext } from './stage';

function arenaOf({ settings: { wide } }: PlanContext, { depth, normals, senders }: PrepassNeeds) {
  const { width, height } = wide;
  const pixels = width * height;
  const taken = senders > 0 ? takenOf(width, senders) * takenOf(height, senders) : 0;
  return {
    /** Metres along the view axis, 0 where nothing is. */
    prepassDepth: { type: 'f32', length: depth ? pixels : 0, stage: 'geometry' },
    /** Of the true faces, on the side that is seen; anything where nothing is. */
    prepassNormals: { type: 'f32', length: normals ? pixels * 3 : 0, stage: 'geometry' },
    /** The same of senders: pixels of which one of so many is taken across and down. */
    senderDepth: { type: 'f32', length: taken, stage: 'bounce' },
    /** Normals by which they are shaded; and what they send, with true normals: see the layout sender, `core/frame/senders`. */
    senderNormal: { type: 'f32', length: taken * 3, stage: 'bounce' },
    senderLight: { type: 'f32', length: taken * SENDER_STRIDE, stage: 'bounce' },
    /** What they are parts of, or NO_TRIANGLE. */
    senderTriangle: { type: 'i32', length: taken, stage: 'bounce' },
  } as const satisfies ArenaPlan;
}
type PrepassArena = ReturnType<typeof arenaOf>;
export type PrepassViews = ArenaViews<PrepassArena>;

const METHODS = Object.values(AROUND_METHODS) as AroundStage<unknown, ArenaPlan>[];
const NOTHING: PrepassNeeds = { depth: false, normals: false, senders: 0 };

export const prepassStage: FrameStage<PrepassNeeds, PrepassArena> = {
  each: 'eye',
  options(context) {
    const { settings } = context;
    if (settings.path) return null;
    const contact = { ...NOTHING, depth: settings.contact.length > 0 };
    const needs = [contact, ...METHODS.flatMap((method) => needsOf(method, context))];
    const depth = needs.some((n) => n.depth);
    const senders = Math.max(...needs.map((n) => n.senders));
    return depth || senders > 0 ? { depth, normals: needs.some((n) => n.normals), senders } : null;
  },
  memory: (context, options) => arenaOf(context, options ?? NOTHING),
  key: () => null,
  open(work, { depth, normals, senders }, views) {
    const { scene, geometry, settings, team, clock } = work;
    const raster = work.rasterizer();
    const { width } = settings.wide;
    const { prepassDepth, prepassNormals, senderDepth, senderLight, senderTriangle } = views;
    const across = senders > 0 ? takenOf(width, senders) : 0;
    const all = { step: 1, across: width, depth: prepassDepth, face: prepassNormals, each: 3, triangle: null };
    const taken = {
      step: senders,
      across,
      depth: senderDepth,
      face: senderLight.subarray(SENDER_FACE),
      each: SENDER_STRIDE,
      triangle: senderTriangle,
    };
    return {
      prepare({ eye }) {
        const { camera } = eye;
        // a part of the picture takes up what the whole one shows beside it
        if (!raster.sortPicture(eye, true)) return false;
        const { tile, coverage } = raster;
        const draw = clock.timed('geometry', (t) => {
          raster.draw(t, 0.5, 0.5, true);
          if (coverage) {
            if (depth) coverage.seeTile(tile, eye, all);
            if (senders > 0) coverage.seeTile(tile, eye, taken);
            return;
          }
          writeTileDepth(tile, prepassDepth, width, camera);
          if (normals)
            writeTileNormals(tile, scene, geometry.positions, { rays: eye.wide.rays, normals: prepassNormals, width });
        });
        return team.share(raster.wideTiles, draw);
      },
    };
  },
};

function needsOf(method: AroundStage<unknown, ArenaPlan>, context: PlanContext): PrepassNeeds[] {
  const options = method.options(context);
  return options === null ? [] : [method.needs(options)];
}
