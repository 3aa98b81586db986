/** What a recipe comes down to for pictures that are soon replaced. */
import type { ResolvedRecipe } from './recipe';
import { SETTINGS } from './settings';

/**
 * The recipe with every setting lowered that the registry lets be lowered; sizes are left to who draws.
 * @param passing no better picture follows that could use the same shadow maps
 */
export function coarser(recipe: ResolvedRecipe, passing = false): ResolvedRecipe {
  const lower = SETTINGS.flatMap((s) => {
    if (s.kind !== 'integer' && s.kind !== 'number') return [];
    const most = s.coarse ?? (passing ? s.passing : undefined);
    return most === undefined ? [] : [[s.id, Math.min(most, recipe[s.id] as number)]];
  });
  return { ...recipe, ...Object.fromEntries(lower) };
}
