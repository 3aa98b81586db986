import { describe, expect, it } from 'vitest';
import { rayFrame, worldToPixels } from '../scene/camera';
import { cameraAt } from '../testing/scenes';
import { contactOpen, type ContactInput } from './contact';

const SIDE = 64;
const camera = cameraAt([0, 0, 5], [0, 0, 0], 40);

/** Looks along −z from five metres at a wall in the plane z = 0, with a post of 0.4 × 0.4 m standing out of it. */
function input(more: Partial<ContactInput> = {}, post = 0.3): ContactInput {
  const matrix = worldToPixels(camera, SIDE, SIDE);
  const depth = new Float32Array(SIDE * SIDE).fill(5);
  for (let y = 0; y < SIDE; y++)
    for (let x = 0; x < SIDE; x++) {
      // half the picture is 5 m · tan 20° wide at the wall, and a little less at the face of the post
      const reach = (5 - post) * Math.tan(Math.PI / 9);
      const [u, v] = [((x + 0.5) / SIDE) * 2 - 1, ((y + 0.5) / SIDE) * 2 - 1];
      if (Math.abs(u * reach) < 0.2 && Math.abs(v * reach) < 0.2) depth[y * SIDE + x] = 5 - post;
    }
  return {
    depth,
    width: SIDE,
    height: SIDE,
    matrix,
    rays: rayFrame(camera, SIDE, SIDE),
    length: 0.5,
    thickness: 0.6,
    steps: 24,
    ...more,
  };
}

/** Is light of a direction open at a place of the wall? */
const openAt = (at: readonly number[], towards: readonly number[], scene = input(), distance = Infinity): boolean => {
  const l = Math.hypot(...towards);
  const [x, y, z] = towards.map((v) => v / l);
  return contactOpen(scene, at[0], at[1], at[2], x, y, z, distance);
};

describe('contact shadows', () => {
  it('leave open what faces the light with nothing beside it', () => {
    expect(openAt([1, 0, 0], [0, 0, 1])).toBe(true);
    expect(openAt([1, 0, 0], [1, 0, 1])).toBe(true);
    expect(openAt([1, 1, 0], [-0.3, 0.2, 1])).toBe(true);
  });

  it('fall beside what stands out, away from the light', () => {
    // light comes low from the left: the wall to the right of the post lies in its shadow, that to the left does not
    expect(openAt([0.3, 0, 0], [-1, 0, 0.4])).toBe(false);
    expect(openAt([-0.3, 0, 0], [-1, 0, 0.4])).toBe(true);
  });

  it('end where the march ends', () => {
    const low = [-1, 0, 0.25];
    expect(openAt([0.45, 0, 0], low)).toBe(false);
    expect(openAt([0.45, 0, 0], low, input({ length: 0.15 }))).toBe(true);
    // a light that is nearer than what stands behind it is not hidden by that
    expect(openAt([0.45, 0, 0], low, input(), 0.15)).toBe(true);
  });

  it('pass behind what is thinner than they go', () => {
    const flat = [-1, 0, 0.2];
    expect(openAt([0.3, 0, 0], flat, input({}, 1))).toBe(true);
    expect(openAt([0.3, 0, 0], flat, input({ thickness: 2 }, 1))).toBe(false);
  });

  it('know nothing of what the picture does not show', () => {
    // beside the picture, and behind the camera
    expect(openAt([1.81, 0, 0], [1, 0, 0.01])).toBe(true);
    expect(openAt([0, 0, 4.9], [0, 0, 1], input({ length: 2 }))).toBe(true);
    // where nothing is there is nothing in the way
    const empty = input();
    empty.depth.fill(0);
    expect(openAt([0.3, 0, 0], [-1, 0, 0.4], empty)).toBe(true);
  });

  it('do not take a face for what shadows it, however it leans', () => {
    for (let k = 0; k < 40; k++) {
      const a = (k / 40) * 2 * Math.PI;
      for (const up of [0.3, 0.6, 1]) expect(openAt([1, 0.8, 0], [Math.cos(a), Math.sin(a), up])).toBe(true);
    }
  });
});
