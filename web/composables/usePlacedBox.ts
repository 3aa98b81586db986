/** The box that the method of bounce fills where it is placed by hand: that of voxels, or the fine one of probes. */
import { computed, type Ref } from 'vue';
import { asksProbes } from '@daxel/core/around/probes/settings';
import { asksVoxels } from '@daxel/core/around/voxels/settings';
import { withValue, type ResolvedRecipe, type Tier } from '@daxel/core/recipe/recipe';
import type { PlacedBox } from '../render/boxHandles';
import { useDocument } from '../stores/document';

interface Placed {
  name: string;
  /** Settings of its middle, along x, y, z, and of its size: one for a cube. */
  middle: readonly string[];
  size: readonly string[];
}

const VOXELS: Placed = {
  name: 'the box of voxels',
  middle: ['bounce.voxelX', 'bounce.voxelY', 'bounce.voxelZ'],
  size: ['bounce.voxelSize'],
};
const FINE: Placed = {
  name: 'the fine box of probes',
  middle: ['bounce.fineX', 'bounce.fineY', 'bounce.fineZ'],
  size: ['bounce.fineWidth', 'bounce.fineHeight', 'bounce.fineDepth'],
};

/** Which of them a recipe places; null where none. */
export function placedIn(recipe: ResolvedRecipe): Placed | null {
  if (asksVoxels(recipe) && recipe['bounce.voxelBox'] === 'placed') return VOXELS;
  return asksProbes(recipe) && recipe['bounce.probeFine'] === true ? FINE : null;
}

export function usePlacedBox(resolved: Ref<ResolvedRecipe | null>, tier: Ref<Tier>) {
  const document = useDocument();
  const placed = computed(() => resolved.value && placedIn(resolved.value));
  const box = computed((): (PlacedBox & { name: string }) | null => {
    const [recipe, p] = [resolved.value, placed.value];
    if (!recipe || !p) return null;
    const numbers = (ids: readonly string[]): PlacedBox['middle'] => {
      const all = [0, 1, 2].map((c) => recipe[ids[c] ?? ids[0]] as number);
      return [all[0], all[1], all[2]];
    };
    return { name: p.name, middle: numbers(p.middle), size: numbers(p.size) };
  });

  /** One step of undo. */
  function place({ middle, size }: PlacedBox): void {
    const p = placed.value;
    if (!p || !document.recipe) return;
    let recipe = document.recipe;
    p.middle.forEach((id, c) => (recipe = withValue(recipe, tier.value, id, middle[c])));
    p.size.forEach((id, c) => (recipe = withValue(recipe, tier.value, id, size[c])));
    document.change({ recipe }, `${tier.value} box ${Date.now()}`);
  }
  return { box, place };
}
