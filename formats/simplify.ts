/** Levels of detail of a mesh, made by meshoptimizer (Garland & Heckbert 1997, Surface Simplification Using Quadric Error Metrics). */
import { MeshoptSimplifier } from 'meshoptimizer';
import type { Simplifier } from '@daxel/core/scene/detail';

/** Each level has this share of the triangles of the one before it. */
const STEP = 0.5;
/** How far the surface may be off at each level, as a share of the extent of the mesh. */
const ERRORS = [0.02, 0.06, 0.15];
/** A level that has more than this share of the triangles of the one before it is not worth its pop. */
const WORTH = 0.8;
/** Triangles below which nothing is simplified. */
const FEWEST = 64;
/**
 * Triangles from which corners are merged by the cells of a grid (Rossignac & Borrel 1993, Multi-resolution 3D
 * Approximations for Rendering Complex Scenes): so many are smaller than a pixel wherever a level stands for them, and it
 * takes a tenth of the time.
 */
const DENSE = 500_000;
/** How much a turned normal counts, against a surface that is off by the extent of the mesh. */
const NORMAL_WEIGHT = 0.25;
const WEIGHTS = [NORMAL_WEIGHT, NORMAL_WEIGHT, NORMAL_WEIGHT];

/** Ready once its compiled loops are. */
export async function meshSimplifier(): Promise<Simplifier> {
  await MeshoptSimplifier.ready;
  return ({ positions, normals, indices }) => {
    const levels: { indices: Uint32Array }[] = [];
    let finest = indices;
    const finite = normals.every((n) => Number.isFinite(n));
    for (const error of ERRORS) {
      if (finest.length < FEWEST * 3) break;
      const target = Math.floor((finest.length * STEP) / 3) * 3;
      const [fewer] =
        finest.length >= DENSE * 3
          ? MeshoptSimplifier.simplifySloppy(finest, positions, 3, null, target, error)
          : finite
            ? MeshoptSimplifier.simplifyWithAttributes(finest, positions, 3, normals, 3, WEIGHTS, null, target, error)
            : MeshoptSimplifier.simplify(finest, positions, 3, target, error);
      if (fewer.length === 0 || fewer.length > finest.length * WORTH) break;
      levels.push({ indices: fewer });
      finest = fewer;
    }
    return levels;
  };
}
