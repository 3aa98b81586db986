import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { resolveRecipe } from '@daxel/core/recipe/recipe';
import { rangeLabel, SETTINGS } from '@daxel/core/recipe/settings';
import { STARTING_RECIPES } from '@daxel/core/recipe/startingRecipes';
import * as schema from './schemas';

const messageOf = (
  type: {
    safeParse: (v: unknown) => { success: boolean; error?: { issues: { message: string; path: PropertyKey[] }[] } };
  },
  value: unknown,
): string => {
  const result = type.safeParse(value);
  return result.success ? '' : (result.error?.issues.map((i) => `${i.path.join('.')}: ${i.message}`).join('; ') ?? '?');
};

describe('recipes on the wire', () => {
  it('are those of the registry', () => {
    for (const recipe of STARTING_RECIPES) expect(messageOf(schema.recipe, recipe)).toBe('');
    const all = resolveRecipe({ name: 'x', draft: {}, final: {} }, 'draft');
    expect(messageOf(schema.recipe, { name: 'all', draft: all, final: all })).toBe('');
  });

  it('are refused setting by setting, with the range', () => {
    for (const s of SETTINGS) {
      if (s.kind === 'switch' || s.kind === 'choice') continue;
      const text = messageOf(schema.recipe, { name: 'x', draft: { [s.id]: s.max * 2 + 1 }, final: {} });
      expect(text).toContain(rangeLabel(s));
    }
    expect(messageOf(schema.recipe, { name: 'x', draft: { 'a.b': 1 }, final: {} })).toContain(
      'There is no setting "a.b"',
    );
    expect(messageOf(schema.recipe, { name: 'x', draft: {} })).not.toBe('');
  });
});

describe('patches', () => {
  const good = { id: 'a', name: 'edge', x: 0.1, y: 0.2, width: 0.3, height: 0.4 };
  it('lie inside the picture and have a name', () => {
    expect(messageOf(schema.patch, good)).toBe('');
    expect(schema.patch.parse({ ...good, name: '  edge ' }).name).toBe('edge');
    for (const bad of [
      { x: -0.1 },
      { y: 1.1 },
      { width: 0 },
      { height: 2 },
      { name: '   ' },
      { name: 'x'.repeat(80) },
      { x: NaN },
      { extra: 1 },
    ])
      expect(messageOf(schema.patch, { ...good, ...bad })).not.toBe('');
  });

  it('are at most twenty-four in a change', () => {
    const many = Array.from({ length: 25 }, (_, i) => ({ ...good, id: String(i) }));
    expect(messageOf(schema.shotChange, { version: 1, patches: many })).toContain('at most 24');
    expect(messageOf(schema.shotChange, { version: 1, patches: many.slice(1) })).toBe('');
  });
});

describe('cameras', () => {
  it('take any sixteen finite numbers, and nothing else', () => {
    const lens = { kind: 'perspective', yfovRad: 0.8, ymag: 1, near: 0.05 };
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: -1000, max: 1000, noNaN: true }), { minLength: 10, maxLength: 20 }),
        (world) => {
          expect(schema.camera.safeParse({ world, lens }).success).toBe(world.length === 16);
        },
      ),
    );
    const world = new Array<number>(16).fill(0);
    for (const bad of [{ kind: 'fisheye' }, { yfovRad: 0 }, { yfovRad: 4 }, { near: 0 }, { ymag: -1 }])
      expect(messageOf(schema.camera, { world, lens: { ...lens, ...bad } })).not.toBe('');
    expect(messageOf(schema.camera, { world: [...world.slice(1), Infinity], lens })).not.toBe('');
  });
});

describe('events', () => {
  it('are told apart by their type', () => {
    expect(schema.serverEvent.parse({ type: 'hello' })).toEqual({ type: 'hello' });
    expect(schema.serverEvent.safeParse({ type: 'still' }).success).toBe(false);
    expect(schema.serverEvent.safeParse({ type: 'weather' }).success).toBe(false);
  });
});
