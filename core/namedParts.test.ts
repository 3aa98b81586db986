import { setFlagsFromString } from 'node:v8';
import { runInThisContext } from 'node:vm';
import { describe, expect, it } from 'vitest';
import { arenaBytes, arenaViews, type ArraySpec } from './frame/memory';
import { namedParts } from './namedParts';
import { compileScene } from './scene/compileScene';
import { packScene, unpackScene } from './scene/packScene';
import { quad, sceneOf } from './testing/scenes';

setFlagsFromString('--allow-natives-syntax');
const hasFixedPlaces = runInThisContext('(o) => %HasFastProperties(o)') as (o: object) => boolean;

describe('named parts', () => {
  it('have their names in order and hold what is set', () => {
    const parts = namedParts(['b', 'a', 'with "quotes"']);
    parts.a = 3;
    expect(parts).toEqual({ b: null, a: 3, 'with "quotes"': null });
    expect(Object.keys(parts)).toEqual(['b', 'a', 'with "quotes"']);
  });

  it('stand in fixed places, unlike those of an object that grows by many names', () => {
    const names = Array.from({ length: 40 }, (_, i) => `name${i}`);
    const parts = namedParts(names);
    const grown: Record<string, unknown> = {};
    for (const name of names) parts[name] = grown[name] = new Float32Array(1);
    expect(hasFixedPlaces(parts)).toBe(true);
    expect(hasFixedPlaces(grown)).toBe(false);
  });

  it('make a scene, whose arrays the innermost loops read', () => {
    const packed = packScene(compileScene(sceneOf([quad(1)])));
    const scene = unpackScene(packed.buffer, packed.byteOffset);
    expect(hasFixedPlaces(scene)).toBe(true);
    expect(Object.values(scene).every((part) => part !== null)).toBe(true);
  });

  it('make a frame likewise', () => {
    const spec: ArraySpec = { type: 'f32', length: 3, stage: 'samples' };
    const plan = Object.fromEntries(Array.from({ length: 30 }, (_, i) => [`array${i}`, spec]));
    const views = arenaViews(plan, new ArrayBuffer(arenaBytes(plan)));
    expect(hasFixedPlaces(views)).toBe(true);
    expect(Object.values(views).every((view) => view.length === 3)).toBe(true);
  });
});
