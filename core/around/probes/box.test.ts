import { describe, expect, it } from 'vitest';
import { BadInputError } from '../../errors';
import { compileScene } from '../../scene/compileScene';
import { poseNodes } from '../../scene/pose';
import type { SceneSource } from '../../scene/source';
import { addNode, quad, sceneOf } from '../../testing/scenes';
import { box as closedBox, grey } from '../../testing/rooms';
import { sceneBox, type Box } from '../sceneBox';
import { fillBox, probesIn, proposeSpacing } from './box';

const boxOf = (source: SceneSource): Box => {
  const scene = compileScene(source);
  return sceneBox(scene, poseNodes(scene, 0));
};
const CUBE: Box = { min: [0, 0, 0], max: [2, 2, 2] };

describe('boxes of probes', () => {
  it('are filled evenly, half a step from each side', () => {
    const { counts, step, first } = fillBox(CUBE, 0.5, 7);
    expect(counts).toEqual([4, 4, 4]);
    expect(step).toEqual([0.5, 0.5, 0.5]);
    expect(first).toBe(7);
    // what does not divide evenly is divided as nearly as it can be
    expect(fillBox(CUBE, 0.6, 0).counts).toEqual([3, 3, 3]);
    expect(fillBox(CUBE, 4, 0).counts).toEqual([1, 1, 1]);
  });

  it('around what is flat stand above and below it', () => {
    const { min, max, counts } = fillBox({ min: [-3, 1, -3], max: [3, 1, 3] }, 1, 0);
    expect(counts).toEqual([6, 2, 6]);
    expect([min[1], max[1]]).toEqual([0, 2]);
  });

  it('of no size, or with far too many probes, are refused with a remedy', () => {
    const point: Box = { min: [1, 1, 1], max: [1, 1, 1] };
    expect(() => fillBox(point, 1, 0)).toThrow(BadInputError);
    expect(() => fillBox(CUBE, 0, 0)).toThrow(BadInputError);
    expect(() => fillBox({ min: [0, 0, 0], max: [1000, 1000, 1000] }, 0.1, 0)).toThrow(/Raise bounce\.probeSpacing/);
    expect(() => fillBox({ min: [0, 0, 0], max: [NaN, 1, 1] }, 0.1, 0)).toThrow(BadInputError);
  });

  it('get a spacing that holds about a thousand, whatever the scale', () => {
    for (const scale of [0.01, 1, 1.3, 2.2, 3.7, 6, 37, 5000]) {
      const box: Box = { min: [0, 0, 0], max: [4 * scale, 3 * scale, 5 * scale] };
      const count = probesIn(fillBox(box, proposeSpacing(box), 0));
      expect(count).toBeGreaterThan(500);
      expect(count).toBeLessThan(2500);
    }
  });
});

describe('the box of a scene', () => {
  it('holds all of it', () => {
    const { min, max } = boxOf(closedBox(grey(0.5)));
    for (let c = 0; c < 3; c++) {
      expect(min[c]).toBeCloseTo(-1, 6);
      expect(max[c]).toBeCloseTo(1, 6);
    }
  });

  /** Things about the origin on a ground that reaches so many metres, and a camera so many above it. */
  const onGround = (reach: number, things: number, above = 3): SceneSource => {
    const source = sceneOf([quad(reach)], [grey(0.5)]);
    source.meshes.push({ name: 'thing', primitives: [quad(0.5)] });
    for (let i = 0; i < things; i++) addNode(source, { mesh: 1, translation: [i % 2 ? 0.5 : -0.5, i / things, 0] });
    source.cameras.push({ name: 'eye', kind: 'perspective', yfovRad: 0.6, ymag: 1, near: 0.1 });
    addNode(source, { camera: 0, translation: [0, above, 0] });
    return source;
  };

  it('leaves out a ground that is many times as long as all that stands on it', () => {
    const { min, max } = boxOf(onGround(50, 8));
    // what is left, and a quarter more all around
    expect(min[0]).toBeCloseTo(-1.5, 6);
    expect(max[0]).toBeCloseTo(1.5, 6);
  });

  it('keeps one that is not', () => {
    expect(boxOf(onGround(2.5, 8)).max[0]).toBe(2.5);
  });

  it('keeps a room whatever small thing stands in it, and a ground that a far camera looks at', () => {
    const source = closedBox(grey(0.5));
    source.meshes.push({ name: 'cup', primitives: [quad(0.01)] });
    addNode(source, { mesh: 1, translation: [0, -0.9, 0] });
    expect(boxOf(source).max[0]).toBeCloseTo(1, 6);
    expect(boxOf(onGround(50, 8, 40)).max[0]).toBe(50);
  });
});
