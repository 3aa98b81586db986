/** The scene in place: which triangles are drawn, where their corners are, and where each handful of them may be seen. */
import { CHUNK_BOX, CHUNK_VERTICES, measureChunk, measureQuickly } from '../../raster/chunkBounds';
import { INSTANCE_STRIDE, type CompiledScene } from '../../scene/compiled';
import { fillDrawn } from '../../scene/detail';
import { poseInstances } from '../../scene/pose';
import type { PlannedFrame } from '../frameJob';
import { chunkCount } from '../frameMemory';
import type { Look } from '../look';
import type { ArenaPlan, ArenaViews } from '../memory';
import type { FrameStage } from './stage';

/** @param detail the frame draws other triangles than all of the scene */
function arenaOf(scene: CompiledScene, detail: boolean) {
  const vertices = scene.positions.length / 3;
  const drawn = detail ? scene.triangleMaterial.length : 0;
  return {
    positions: { type: 'f32', length: vertices * 3, stage: 'geometry' },
    normals: { type: 'f32', length: vertices * 3, stage: 'geometry' },
    tangents: { type: 'f32', length: vertices * 4, stage: 'geometry' },
    chunkBoxes: { type: 'f32', length: chunkCount(scene) * CHUNK_BOX, stage: 'geometry' },
    chunkVertices: { type: 'u32', length: chunkCount(scene) * CHUNK_VERTICES, stage: 'geometry' },
    drawnTriangles: { type: 'u32', length: drawn * 3, stage: 'geometry' },
    drawnMaterial: { type: 'u16', length: drawn, stage: 'geometry' },
    drawnInstance: { type: 'u32', length: drawn, stage: 'geometry' },
  } as const satisfies ArenaPlan;
}
type GeometryArena = ReturnType<typeof arenaOf>;
export type GeometryViews = ArenaViews<GeometryArena>;

/** Names which triangles lie where. */
export function posedKey({ sceneId, detail }: PlannedFrame, { moment }: Look): string {
  return [sceneId, moment.poseKey, detail].join();
}

export const geometryStage: FrameStage<{ detail: boolean }, GeometryArena> = {
  each: 'instant',
  options: ({ levels }) => ({ detail: levels !== null }),
  memory: ({ scene, levels }) => arenaOf(scene, levels !== null),
  key: (frame, _options, look) => posedKey(frame, look),
  open({ source, scene, levels, memory, team, clock }, _options, views) {
    const pose = (look: Look): boolean => {
      const posed = clock.timed('geometry', (i) => poseInstances(scene, look.moment.world, i, i + 1, views));
      return team.share(scene.instances.length / INSTANCE_STRIDE, posed);
    };
    const measure = clock.timed('geometry', (c) => {
      if (memory) measureQuickly(memory, c, views.positions, scene.triangles, views);
      else measureChunk(c, views.positions, scene.triangles, views);
    });
    const fill = clock.timed('geometry', () => fillDrawn(source, levels!, views));
    return {
      prepare(look, stands) {
        if (stands) return true;
        if (levels && look.instant === 0 && !team.share(1, fill)) return false;
        return pose(look) && team.share(chunkCount(scene), measure);
      },
    };
  },
};
