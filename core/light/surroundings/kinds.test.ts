import { describe, expect, it } from 'vitest';
import type { EnvironmentPicture } from '../../scene/source';
import { AS_IT_IS, environmentDocument, type EnvironmentSource } from './document';
import type { InFile } from './kind';
import {
  blendSurroundings,
  environmentRadiance,
  kindOf,
  surroundingsInFile,
  SURROUNDINGS_KINDS,
  withinRig,
} from './kinds';

const grey = (level: number): EnvironmentSource['stops'] => [{ y: 0, radiance: [level, level, level] }];
const sources: Record<EnvironmentSource['kind'], EnvironmentSource> = {
  constant: { ...AS_IT_IS, kind: 'constant', stops: grey(2) },
  gradient: { ...AS_IT_IS, kind: 'gradient', stops: [...grey(1), { y: 1, radiance: [0, 0, 4] }] },
  picture: { ...AS_IT_IS, kind: 'picture', picture: 'scene', stops: grey(0) },
};
const white: EnvironmentPicture = { width: 8, height: 4, rgb: new Float32Array(8 * 4 * 3).fill(3) };
const seen = (e: EnvironmentSource, picture: EnvironmentPicture | null, y = 0): number[] => {
  const out = new Float64Array(3);
  environmentRadiance(e, picture)(0, y, -Math.sqrt(1 - y * y), out);
  return [...out];
};

describe.each(SURROUNDINGS_KINDS.map((k) => [k.kind, k] as const))('surroundings of the kind %s', (name, kind) => {
  const own = sources[name];

  it('are a document that a rig takes', () => {
    expect(environmentDocument.parse(own)).toEqual(own);
    expect(kindOf(own)).toBe(kind);
  });

  it('come back from a file as they were written', () => {
    const written = kind.toFile(own) ?? { kind: 'picture', image: 3, ...AS_IT_IS };
    const { environment, image }: InFile = surroundingsInFile.parse(JSON.parse(JSON.stringify(written)));
    expect(environment).toEqual(own);
    expect(image).toBe(name === 'picture' ? 3 : undefined);
  });

  it('are the same light exact and blurred, where all of it is even', () => {
    const even = { ...own, stops: grey(3), strength: 2 };
    const [exact, blurred] = [new Float64Array(3), new Float64Array(3)];
    kind.radiance(even, white, 0.5)(0.6, 0, -0.8, exact);
    kind.blurred(even, white, 0.5).at(0.6, 0, -0.8, 1.5, blurred);
    expect([...exact]).toEqual([3, 3, 3]);
    for (let c = 0; c < 3; c++) expect(blurred[c]).toBeCloseTo(3, 6);
  });

  it('of wild values are brought into what a rig takes, and sound ones stay', () => {
    expect(withinRig(own)).toEqual(own);
    const wild: EnvironmentSource = {
      ...own,
      strength: Infinity,
      rotationDeg: 1e6,
      reflectionStrength: -1,
      stops: [{ y: -7, radiance: [NaN, -1, 1e30] }],
      glow: { direction: [0, 0, 0], radiance: [1e30, 0, 0], sharpness: -1 },
    };
    expect(environmentDocument.safeParse(wild).success).toBe(false);
    expect(environmentDocument.safeParse(withinRig(wild)).success).toBe(true);
  });

  it('mixed with themselves at another strength add up', () => {
    const mixed = blendSurroundings(own, { ...own, strength: 3 }, 0.25, 2);
    expect(mixed).toEqual({ ...own, strength: 0.75 + 3 * 0.25 * 2 });
  });
});

describe('surroundings of two kinds in one', () => {
  it('are the sum of both lights where they have a common form', () => {
    const [a, b] = [sources.constant, { ...sources.gradient, strength: 2 }];
    const mixed = blendSurroundings(a, b, 0.25, 0.5);
    for (const y of [-1, -0.3, 0, 0.4, 1]) {
      const [p, q] = [seen(a, null, y), seen(b, null, y)];
      seen(mixed, null, y).forEach((v, c) => expect(v).toBeCloseTo(p[c] * 0.75 + q[c] * 0.125, 6));
    }
  });

  it('are the stronger share, dimmed, where they have none', () => {
    const { picture, gradient } = sources;
    expect(blendSurroundings(picture, gradient, 0.25, 1)).toEqual({ ...picture, strength: 0.75 });
    expect(blendSurroundings(picture, gradient, 0.75, 2)).toEqual({ ...gradient, strength: 1.5 });
    const glowing = {
      ...gradient,
      glow: { direction: [0, 1, 0], radiance: [1, 1, 1], sharpness: 4 },
    } as EnvironmentSource;
    expect(blendSurroundings(sources.constant, glowing, 0.6, 1)).toEqual({ ...glowing, strength: 0.6 });
  });

  it('of a picture that is missing are black', () => {
    expect(seen(sources.picture, null)).toEqual([0, 0, 0]);
    expect(seen(sources.picture, white)).toEqual([3, 3, 3]);
  });
});
