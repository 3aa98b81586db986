/**
 * What each pixel sees through its middle, for stages and shading that look at neighbours: drawn only where one of them
 * asks, and read only when all of it is there, so that threads cannot matter.
 */
import { writeTileDepth } from '../tileArrays';
import type { ArenaPlan, ArenaViews } from '../memory';
import type { FrameStage, PlanContext } from './stage';

function arenaOf({ settings: { render } }: PlanContext, depth: boolean) {
  return {
    /** Metres along the view axis, 0 where nothing is. */
    prepassDepth: { type: 'f32', length: depth ? render.width * render.height : 0, stage: 'shadows' },
  } as const satisfies ArenaPlan;
}
type PrepassArena = ReturnType<typeof arenaOf>;
export type PrepassViews = ArenaViews<PrepassArena>;

export const prepassStage: FrameStage<{ depth: true }, PrepassArena> = {
  each: 'eye',
  options: ({ settings }) => (settings.contact.length > 0 && !settings.path ? { depth: true } : null),
  memory: (context, options) => arenaOf(context, options !== null),
  key: () => null,
  open({ settings, rasterizer, team, clock }, _options, { prepassDepth }) {
    const raster = rasterizer();
    return {
      prepare({ eye }) {
        const draw = clock.timed('shadows', (k) => {
          raster.draw(raster.tiles[k], 0.5, 0.5);
          writeTileDepth(raster.tile, prepassDepth, settings.render.width, eye.camera);
        });
        return team.share(raster.tiles.length, draw);
      },
    };
  },
};
