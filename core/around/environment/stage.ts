/** What surfaces take from the surroundings far away, worked out once: see `environmentTables`. */
import {
  createEnvironmentFiller,
  ENVIRONMENT_ITEMS,
  ENVIRONMENT_MAP,
  ENVIRONMENT_SH,
} from '../../light/environmentTables';
import type { FrameStage } from '../../frame/stages/stage';
import type { ArenaPlan, ArenaViews } from '../../frame/memory';

function arenaOf(read: boolean) {
  return {
    environmentSh: { type: 'f32', length: read ? ENVIRONMENT_SH : 0, stage: 'bounce' },
    environmentMap: { type: 'f32', length: read ? ENVIRONMENT_MAP : 0, stage: 'reflections' },
  } as const satisfies ArenaPlan;
}
type EnvironmentArena = ReturnType<typeof arenaOf>;
export type EnvironmentViews = ArenaViews<EnvironmentArena>;

export const environmentStage: FrameStage<{ read: true }, EnvironmentArena> = {
  each: 'instant',
  // paths ask the surroundings themselves
  options: ({ settings }) => (settings.path ? null : { read: true }),
  memory: (_context, options) => arenaOf(options !== null),
  key: ({ sceneId, lighting }) => JSON.stringify([sceneId, lighting.environment]),
  open({ lighting, picture, team, clock }, _options, { environmentSh, environmentMap }) {
    return {
      prepare(_look, stands) {
        if (stands) return true;
        const fill = createEnvironmentFiller(lighting.environment, picture);
        const filled = clock.timed('bounce', (i) => fill(i, environmentSh, environmentMap));
        return team.share(ENVIRONMENT_ITEMS, filled);
      },
    };
  },
};
