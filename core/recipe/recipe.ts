/** Recipes: every quality setting in two tiers, what they resolve to, and their JSON form. */
import { z } from 'zod';
import { BadInputError } from '../errors';
import { hashText } from '../math/hash';
import { findSetting, SETTINGS, settingSchema, type NumberSetting, type SettingValue } from './settings';

export type Tier = 'draft' | 'final';
export type TierValues = Record<string, SettingValue>;

/** A setting that a tier does not hold is inherited from the other tier; one that neither holds has its initial value. */
export interface Recipe {
  name: string;
  draft: TierValues;
  final: TierValues;
}

/** Every setting with its value in one tier. */
export type ResolvedRecipe = Readonly<Record<string, SettingValue>>;

export function resolveRecipe(recipe: Recipe, tier: Tier): ResolvedRecipe {
  const own = recipe[tier];
  const other = recipe[tier === 'draft' ? 'final' : 'draft'];
  return Object.fromEntries(SETTINGS.map((s) => [s.id, own[s.id] ?? other[s.id] ?? s.initial]));
}

/** Samples a pixel in all: its own times those of the shutter. */
export function totalSamples(resolved: ResolvedRecipe): number {
  return (resolved['samples.pixel'] as number) * (resolved['samples.shutter'] as number);
}

/** Where a tier's value comes from. */
export function valueOrigin(recipe: Recipe, tier: Tier, id: string): 'own' | 'inherited' | 'initial' {
  if (recipe[tier][id] !== undefined) return 'own';
  return recipe[tier === 'draft' ? 'final' : 'draft'][id] !== undefined ? 'inherited' : 'initial';
}

/** Fingerprint of what a recipe resolves to: equal hashes mean equal settings, whatever the order or the tier. */
export function recipeHash(resolved: ResolvedRecipe): string {
  return hashText(JSON.stringify(SETTINGS.map((s) => [s.id, resolved[s.id]])));
}

/** A copy with one value set, or taken out with `undefined`. @throws BadInputError when the value is not allowed */
export function withValue(recipe: Recipe, tier: Tier, id: string, value: SettingValue | undefined): Recipe {
  const others = Object.entries(recipe[tier]).filter(([key]) => key !== id);
  if (value !== undefined) others.push([id, checkValue(id, value)]);
  return { ...recipe, [tier]: Object.fromEntries(others) };
}

/**
 * @param written how a message quotes it
 * @throws BadInputError naming the setting and its range
 */
export function checkValue(id: string, value: unknown, written = JSON.stringify(value)): SettingValue {
  const setting = findSetting(id);
  if (!setting)
    throw new BadInputError(`There is no setting "${id}"${nearest(id)}. List them with: daxel render --settings`);
  const result = settingSchema(setting).safeParse(value);
  if (!result.success) throw new BadInputError(`${result.error.issues[0].message}, not ${written}`);
  return result.data;
}

/** Reads `stage.setting=value` as the command line gives it. */
export function parseAssignment(text: string): { id: string; value: SettingValue } {
  const at = text.indexOf('=');
  if (at < 1) throw new BadInputError(`--set ${text}: write it as stage.setting=value`);
  const id = text.slice(0, at);
  const raw = text.slice(at + 1);
  const setting = findSetting(id);
  let value: unknown = raw;
  if (setting?.kind === 'number' || setting?.kind === 'integer') value = readNumber(setting, raw);
  if (setting?.kind === 'switch')
    value = raw === 'true' || raw === 'on' ? true : raw === 'false' || raw === 'off' ? false : raw;
  return { id, value: checkValue(id, value, raw === '' ? 'nothing' : `"${raw}"`) };
}

/** A number as it is typed, or the word of the least one; NaN for neither. */
export function readNumber(setting: NumberSetting, text: string): number {
  const word = text.trim();
  if (setting.least !== undefined && word !== '' && setting.least.startsWith(word.toLowerCase())) return setting.min;
  return word === '' ? NaN : Number(word);
}

const recipeShape = z.strictObject({
  format: z.literal('daxel-recipe'),
  version: z.literal(1),
  name: z.string().min(1).max(120),
  draft: z.record(z.string(), z.unknown()).default({}),
  final: z.record(z.string(), z.unknown()).default({}),
});

/** The JSON text of a recipe, for files. */
export function writeRecipe(recipe: Recipe): string {
  return `${JSON.stringify({ format: 'daxel-recipe', version: 1, ...recipe }, null, 2)}\n`;
}

/**
 * Reads the JSON text of a recipe.
 * @param file named in errors
 * @throws BadInputError naming file, place and remedy
 */
export function readRecipe(text: string, file: string): Recipe {
  let data: unknown;
  try {
    data = JSON.parse(text);
  } catch (error) {
    throw new BadInputError(`${file}: not valid JSON (${(error as Error).message}). Export the recipe again.`);
  }
  const parsed = recipeShape.safeParse(data);
  if (!parsed.success) {
    const issue = parsed.error.issues[0];
    const place = issue.path.join('.') || 'the top level';
    throw new BadInputError(
      `${file}: ${place}: ${issue.message}. A recipe has format, version, name, draft and final.`,
    );
  }
  const recipe: Recipe = { name: parsed.data.name, draft: {}, final: {} };
  for (const tier of ['draft', 'final'] as const) {
    for (const [id, value] of Object.entries(parsed.data[tier])) {
      try {
        recipe[tier][id] = checkValue(id, value);
      } catch (error) {
        throw new BadInputError(`${file}: ${tier}: ${(error as Error).message}`);
      }
    }
  }
  return recipe;
}

/** Settings in which two resolved recipes differ. */
export function recipeDifferences(a: ResolvedRecipe, b: ResolvedRecipe): string[] {
  return SETTINGS.filter((s) => a[s.id] !== b[s.id]).map((s) => s.id);
}

function nearest(id: string): string {
  const tail = id.split('.').pop() ?? id;
  const hit = SETTINGS.find((s) => s.id.endsWith(`.${tail}`) || s.id.startsWith(id));
  return hit ? ` (did you mean "${hit.id}"?)` : '';
}
