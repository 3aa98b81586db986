<script setup lang="ts">
/** The recipe by name: begin with another, take one in, hand one out. */
import { computed, ref } from 'vue';
import { readRecipe, recipeDifferences, resolveRecipe, writeRecipe, type Recipe } from '@daxel/core/recipe/recipe';
import { STARTING_RECIPES } from '@daxel/core/recipe/startingRecipes';
import { saveText } from '../composables/saveText';
import { useCommands } from '../commands/commands';
import { useNotices } from '../stores/notices';

const props = defineProps<{ recipe: Recipe }>();
const emit = defineEmits<{ change: [recipe: Recipe] }>();
const notices = useNotices();
const picker = ref<HTMLInputElement | null>(null);
/** Belong to the scene more than to the quality, so another recipe does not change them. */
const KEPT = ['lens.exposure', 'shadows.distance'];
const RECIPE_LIMIT = 256 * 1024;

const edited = computed(() => {
  const start = STARTING_RECIPES.find((r) => r.name === props.recipe.name);
  if (!start) return false;
  return (['draft', 'final'] as const).some((t) =>
    recipeDifferences(resolveRecipe(start, t), resolveRecipe(props.recipe, t)).some((id) => !KEPT.includes(id)),
  );
});
function choose(start: Recipe): void {
  const next = structuredClone(start);
  for (const tier of ['draft', 'final'] as const) {
    for (const id of KEPT) {
      const value = props.recipe[tier][id];
      if (value !== undefined) next[tier][id] = value;
    }
  }
  emit('change', next);
}
async function takeIn(file: File | undefined): Promise<void> {
  if (!file) return;
  try {
    if (file.size > RECIPE_LIMIT)
      throw new Error(`${file.name}: a recipe is never larger than 256 kB. Choose a recipe file.`);
    emit('change', readRecipe(await file.text(), file.name));
    notices.say(`${file.name} is now the recipe of this shot.`);
  } catch (error) {
    notices.flag(error);
  }
}
function handOut(): void {
  saveText(`${props.recipe.name.replace(/[^\w-]+/g, '-')}.recipe.json`, writeRecipe(props.recipe));
}
useCommands([
  { id: 'recipe-import', label: 'Import a recipe (JSON)', group: 'Recipe', run: () => picker.value?.click() },
  { id: 'recipe-export', label: 'Export the recipe (JSON)', group: 'Recipe', run: handOut },
  ...STARTING_RECIPES.map((r) => ({
    id: `recipe-${r.name}`,
    label: `Begin with the recipe ${r.name}`,
    group: 'Recipe',
    run: () => choose(r),
  })),
]);
</script>

<template>
  <v-menu location="top end">
    <template #activator="{ props: menu }">
      <button class="recipe" v-bind="menu">
        Recipe <strong>{{ recipe.name }}</strong><span v-if="edited" class="quiet">, edited</span>
      </button>
    </template>
    <div class="sheet" role="menu">
      <p class="quiet narrow">Begin with</p>
      <button v-for="r in STARTING_RECIPES" :key="r.name" role="menuitem" @click="choose(r)">{{ r.name }}</button>
      <hr />
      <button role="menuitem" @click="picker?.click()">Import JSON…</button>
      <button role="menuitem" @click="handOut">Export JSON</button>
    </div>
  </v-menu>
  <input
    ref="picker"
    type="file"
    accept=".json,application/json"
    class="visually-hidden"
    tabindex="-1"
    aria-label="Recipe file"
    @change="(takeIn(picker?.files?.[0]), picker && (picker.value = ''))"
  />
</template>

<style scoped>
.recipe {
  padding: 4px 8px;
  border-radius: 4px;
  border: 1px solid var(--line);
}
.sheet {
  display: flex;
  flex-direction: column;
  min-width: 170px;
  padding: 6px;
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 4px;
}
.sheet button {
  text-align: left;
  padding: 5px 8px;
  border-radius: 4px;
}
.sheet button:hover,
.sheet button:focus-visible {
  background: rgba(var(--v-theme-primary), 0.12);
}
.sheet p {
  padding: 2px 8px;
}
hr {
  border: 0;
  border-top: 1px solid var(--line);
  margin: 4px 0;
}
</style>
