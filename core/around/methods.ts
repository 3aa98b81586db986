/**
 * The methods that answer for rows of surfaces, in the order in which they do: each fills what those before it were not sure
 * of. The surroundings themselves come last, where light is applied to materials.
 */
import { mirrorStage } from './mirrors/stage';
import { occlusionStage } from './occlusion/stage';
import { probeStage } from './probes/stage';
import { screenStage } from './screen/stage';
import { tracedStage } from './traced/stage';
import { voxelStage } from './voxels/stage';

export const AROUND_METHODS = {
  occlusion: occlusionStage,
  screen: screenStage,
  traced: tracedStage,
  voxels: voxelStage,
  probes: probeStage,
  mirrors: mirrorStage,
};
