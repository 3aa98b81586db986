/** What the last sensitivity run measured of each setting, for as long as it still stands. */
import { computed, watch, type Ref } from 'vue';
import type { Wedge } from '@daxel/api/schemas';
import { effectInWords } from '@daxel/core/plan/knee';
import { valueLabel } from '@daxel/core/plan/wedge';
import { resolveRecipe, type Recipe, type Tier } from '@daxel/core/recipe/recipe';
import { useWedges } from '../stores/wedges';
import { notchEffects, runNoise } from './wedgeFigures';

/** Lines such as "8: +61 % time, change not visible", by setting. */
export function useEffects(shotId: Ref<string>, recipe: Ref<Recipe | null>, tier: Ref<Tier>) {
  const wedges = useWedges();
  watch(shotId, (id) => void wedges.load(id).catch(() => undefined), { immediate: true });
  return computed(() => (recipe.value ? standingEffects(wedges.list, recipe.value, tier.value) : {}));
}

/** A run says nothing any more of a setting whose value has changed since. */
export function standingEffects(wedges: readonly Wedge[], recipe: Recipe, tier: Tier): Record<string, string[]> {
  const run = wedges.find((w) => w.request.kind === 'sensitivity' && w.request.tier === tier && w.steps[0]?.seconds);
  if (!run) return {};
  const now = resolveRecipe(recipe, tier);
  const then = resolveRecipe(run.recipe, tier);
  const noise = runNoise(run);
  const lines: Record<string, string[]> = {};
  for (const e of notchEffects(run)) {
    if (now[e.id] !== then[e.id] || now['samples.method'] !== then['samples.method']) continue;
    lines[e.id] = [...(lines[e.id] ?? []), `${valueLabel(e.id, e.value)}: ${effectInWords(e, noise)}`];
  }
  return lines;
}
