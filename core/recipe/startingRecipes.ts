/** Recipes to begin with: quick looks, daily reviews, the finished picture. */
import type { Recipe } from './recipe';

export const STARTING_RECIPES: readonly Recipe[] = [
  {
    name: 'Sketch',
    draft: {
      'samples.pixel': 1,
      'shadows.resolution': 1024,
      'shadows.localResolution': 256,
      'output.width': 640,
      'output.height': 360,
    },
    final: { 'samples.pixel': 4, 'output.width': 960, 'output.height': 540 },
  },
  {
    name: 'Dailies',
    draft: { 'samples.pixel': 4, 'output.width': 768, 'output.height': 432 },
    final: {
      'samples.pixel': 16,
      'shadows.taps': 5,
      'shadows.radius': 1.75,
      'output.width': 1280,
      'output.height': 720,
    },
  },
  {
    name: 'Master',
    draft: {
      'samples.pixel': 4,
      'shadows.resolution': 2048,
      'shadows.localResolution': 512,
      'output.width': 768,
      'output.height': 432,
    },
    final: {
      'samples.pixel': 64,
      'shadows.resolution': 4096,
      'shadows.localResolution': 1024,
      'shadows.taps': 5,
      'shadows.radius': 2,
      'output.width': 1920,
      'output.height': 1080,
    },
  },
];

export function startingRecipe(name: string): Recipe | undefined {
  const found = STARTING_RECIPES.find((r) => r.name === name);
  return found && structuredClone(found);
}
