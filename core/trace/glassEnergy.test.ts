import { describe, expect, it } from 'vitest';
import { glassBoost } from './glassEnergy';

const cosines = [0.1, 0.3, 0.5, 0.7, 0.9, 1];
const roughnesses = [0.1, 0.25, 0.5, 0.75, 1];

describe('what rough glass gives back', () => {
  it('is nothing where glass is smooth: what it does not mirror it lets through', () => {
    for (const nv of cosines)
      for (const entering of [true, false]) expect(glassBoost(true, 1.5, entering, 0, nv)).toBeCloseTo(1, 2);
    for (const nv of cosines) expect(glassBoost(false, 1.5, true, 0, nv)).toBeCloseTo(1, 1);
  });

  it('is never less than all, and never more than rough facets can lose', () => {
    for (const ior of [1.1, 1.33, 1.5, 2.4])
      for (const entering of [true, false])
        for (const roughness of roughnesses)
          for (const nv of cosines) {
            const boost = glassBoost(true, ior, entering, roughness, nv);
            expect(boost).toBeGreaterThan(0.999);
            expect(boost).toBeLessThan(4);
          }
  });

  it('grows with roughness, where light falls straight in', () => {
    for (const entering of [true, false]) {
      const boosts = roughnesses.map((r) => glassBoost(true, 1.5, entering, r, 0.9));
      for (let i = 1; i < boosts.length; i++) expect(boosts[i]).toBeGreaterThan(boosts[i - 1] - 0.003);
      expect(boosts.at(-1)).toBeGreaterThan(boosts[0] + 0.02);
    }
  });

  it('is the same for what has no body whichever side is met, and knows each index of refraction apart', () => {
    for (const roughness of roughnesses)
      expect(glassBoost(false, 1.5, true, roughness, 0.6)).toBe(glassBoost(false, 1.5, false, roughness, 0.6));
    expect(glassBoost(true, 2.4, true, 0.8, 0.5)).not.toBe(glassBoost(true, 1.2, true, 0.8, 0.5));
    // asked again it says the same
    expect(glassBoost(true, 2.4, true, 0.8, 0.5)).toBe(glassBoost(true, 2.4, true, 0.8, 0.5));
  });

  it('changes smoothly: neighbouring angles and roughnesses lie close together', () => {
    let before = glassBoost(true, 1.5, true, 0.6, 0.05);
    for (let nv = 0.06; nv <= 1; nv += 0.01) {
      const now = glassBoost(true, 1.5, true, 0.6, nv);
      expect(Math.abs(now - before)).toBeLessThan(0.03);
      before = now;
    }
  });
});
