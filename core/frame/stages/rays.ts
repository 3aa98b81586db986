/** What rays are traced through: the tree of the pose's triangles. */
import { buildBvh } from '../../trace/buildBvh';
import { BVH_FITTED, BVH_STATE, BvhBuilder, PARTS_WORDS, RECORD_WORDS } from '../../trace/bvhBuilder';
import { bvhOf, NODE_WORDS, nodeLimit, PACKET_WORDS, packetLimit, type BvhArrays } from '../../trace/bvhLayout';
import { RayKernel, scratchBytes } from '../../trace/rayKernel';
import { tracesMirrors } from '../../around/mirrors/settings';
import { tracesBounce } from '../../around/traced/settings';
import { asksVoxels } from '../../around/voxels/settings';
import type { CompiledScene } from '../../scene/compiled';
import { MAX_THREADS } from '../frameMemory';
import type { FrameWork } from '../frameWork';
import type { ArenaPlan, ArenaViews } from '../memory';
import type { Team } from '../team';
import { posedKey } from './geometry';
import type { FrameStage } from './stage';

function arenaOf(scene: CompiledScene, traces: boolean) {
  const triangles = traces ? scene.triangleMaterial.length : 0;
  const packets = traces ? packetLimit(triangles) : 0;
  const scratch = traces ? MAX_THREADS * scratchBytes(scene.meta.materials.length) : 0;
  return {
    bvhNodes: { type: 'f32', length: traces ? nodeLimit(triangles) * NODE_WORDS : 0, stage: 'shadows' },
    bvhPackets: { type: 'f32', length: packets * PACKET_WORDS, stage: 'shadows' },
    bvhOrder: { type: 'u32', length: packets * 4, stage: 'shadows' },
    bvhMaterials: { type: 'u32', length: packets * 4, stage: 'shadows' },
    bvhWork: { type: 'u32', length: triangles * RECORD_WORDS, stage: 'shadows' },
    bvhParts: { type: 'u32', length: traces ? PARTS_WORDS : 0, stage: 'shadows' },
    bvhState: { type: 'f64', length: traces ? BVH_STATE : 0, stage: 'shadows' },
    bvhScratch: { type: 'u8', length: scratch, stage: 'shadows' },
  } as const satisfies ArenaPlan;
}
type RayArena = ReturnType<typeof arenaOf>;
export type RayViews = ArenaViews<RayArena>;

/** The tree as a thread traces through it. */
export interface TracedScene {
  bvh: BvhArrays;
  /** Null where the compiled loops cannot work on it. */
  kernel: RayKernel | null;
}

export function tracedScene({ scene, memory, team }: FrameWork, views: RayViews): TracedScene {
  const bvh = bvhOf(views);
  return { bvh, kernel: memory && new RayKernel(memory, bvh, ownScratch(scene, team, views)) };
}

function ownScratch(scene: CompiledScene, team: Team, { bvhScratch }: RayViews): Uint8Array {
  return team.part(bvhScratch, scratchBytes(scene.meta.materials.length));
}

export const rayStage: FrameStage<{ traces: true }, RayArena> = {
  each: 'instant',
  options: ({ settings, view, recipe, bakes }) =>
    settings.shadows.traced ||
    view === 'faults' ||
    tracesBounce(recipe) ||
    tracesMirrors(recipe) ||
    asksVoxels(recipe) ||
    bakes
      ? { traces: true }
      : null,
  memory: ({ scene }, options) => arenaOf(scene, options !== null),
  key: (frame, _options, look) => posedKey(frame, look),
  open({ scene, geometry, memory, team, clock }, _options, views) {
    const bvh = bvhOf(views);
    const { triangles, triangleMaterial } = scene;
    const { positions } = geometry;
    const room = { ...views, positions, triangles, triangleMaterial };
    const builder = memory && new BvhBuilder(memory, bvh, room, ownScratch(scene, team, views));
    const plainly = clock.timed('shadows', () => {
      // what lay here before is no state of this one
      views.bvhState.fill(0);
      buildBvh(positions, triangles, bvh);
      bvh.bvhOrder.forEach((t, place) => (bvh.bvhMaterials[place] = triangleMaterial[t] ?? 0));
    });
    return {
      prepare(look, stands) {
        if (stands) return true;
        if (!builder) return team.share(1, plainly);
        // one of this frame may be fitted to where its triangles are now; bits may not depend on frames before
        return builder.move((count, run) => team.share(count, clock.timed('shadows', run)), look.instant > 0);
      },
      // another frame would build what this one fitted
      lasts: () => views.bvhState[BVH_FITTED] !== 1,
    };
  },
};
