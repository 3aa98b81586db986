/** Settings that leave out triangles where they are thought not to be seen. */
import type { NumberSetting, SceneNeed, Setting } from './settingTypes';

/** Metres beyond which one class of objects is not drawn; 0 draws it at any distance. */
function drawDistance(id: string, label: string, what: string, needs: SceneNeed): NumberSetting {
  return {
    id: `geometry.${id}`,
    stage: 'geometry',
    needs,
    kind: 'number',
    label,
    unit: 'm',
    min: 0,
    max: 10_000,
    step: 5,
    initial: 0,
    does: `Leaves out ${what} when they are farther from the camera than this; 0 leaves out none.`,
    lookFor: 'Things and shadows that pop in or out; 0 is no limit',
    cost: 'less when near',
  };
}

const DISTANCES = [
  drawDistance('drawSmall', 'Draw distance, small', 'objects under 0.3 m', 'small things'),
  drawDistance('drawMedium', 'Draw distance, medium', 'objects of 0.3 to 2 m', 'medium things'),
  drawDistance('drawLarge', 'Draw distance, large', 'objects over 2 m', 'large things'),
  drawDistance('drawFoliage', 'Draw distance, foliage', 'leaves and whatever else is cut out by a picture', 'foliage'),
];
/** Their ids. */
export const DRAW_DISTANCES: readonly string[] = DISTANCES.map((d) => d.id);

export const DETAIL_SETTINGS: readonly Setting[] = [
  {
    id: 'geometry.levels',
    needs: 'coarser levels',
    stage: 'geometry',
    kind: 'switch',
    label: 'Levels of detail',
    initial: false,
    does: 'Draws objects that are small in the picture with fewer triangles.',
    lookFor: 'Outlines and shadows that jump from one frame to the next while the camera moves',
    cost: 'less when on',
  },
  {
    id: 'geometry.fullFrom',
    needs: 'coarser levels',
    stage: 'geometry',
    kind: 'number',
    label: 'Full detail from',
    unit: '% high',
    min: 0.5,
    max: 400,
    step: 1,
    doubling: true,
    initial: 25,
    matters: (recipe) => recipe['geometry.levels'] === true,
    does: "Share of the picture's height from which an object keeps all its triangles; at every halving below it has half as many.",
    lookFor: 'Corners in what should be round, and jumps when it is crossed',
    cost: 'grows with it',
  },
  ...DISTANCES,
];
