/** Which settings of a stage the column shows. */
import { canMatter, type SceneFacts } from '@daxel/core/plan/sceneFacts';
import type { ResolvedRecipe, Tier } from '@daxel/core/recipe/recipe';
import { SETTINGS, type Setting, type StageId } from '@daxel/core/recipe/settings';

export const SETTING_FILTERS = [
  { id: 'all', label: 'All', none: 'This stage has no settings.' },
  { id: 'changed', label: 'Changed', none: 'Nothing is changed here: everything has its initial value.' },
  { id: 'matters', label: 'What matters here', none: 'Nothing here changes this picture as it is.' },
] as const;
export type SettingFilter = (typeof SETTING_FILTERS)[number]['id'];

export interface ShownRecipe {
  resolved: Record<Tier, ResolvedRecipe>;
  /** What the scene and its light have; null while that is not known. */
  facts: SceneFacts | null;
}

/** Either tier says something else than a new recipe would. */
function isChanged({ id, initial }: Setting, { resolved }: Pick<ShownRecipe, 'resolved'>): boolean {
  return resolved.draft[id] !== initial || resolved.final[id] !== initial;
}

/** It can change the picture in either tier. */
function mattersHere(setting: Setting, { resolved, facts }: ShownRecipe): boolean {
  return canMatter(setting, resolved.draft, facts) || canMatter(setting, resolved.final, facts);
}

/** Why a setting changes nothing now; null where it does. */
export function whyIdle(setting: Setting, shown: ShownRecipe): string | null {
  if (mattersHere(setting, shown)) return null;
  const { needs } = setting;
  if (needs && shown.facts && !shown.facts.has(needs))
    return `Changes nothing here: there is no ${needs} in this scene.`;
  return 'Changes nothing now, beside the other settings as they are.';
}

/** The settings of a stage that each filter lets through. */
export function settingsOf(stage: StageId, shown: ShownRecipe): Record<SettingFilter, Setting[]> {
  const all = SETTINGS.filter((s) => s.stage === stage);
  return {
    all,
    changed: all.filter((s) => isChanged(s, shown)),
    matters: all.filter((s) => mattersHere(s, shown)),
  };
}
