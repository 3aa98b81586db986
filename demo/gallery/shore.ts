/** The far shore with its lights, and gulls. */
import { randomStream } from '@daxel/core/math/random';
import { ABOVE_SEA } from '../lampRoom/outside';
import { Mesh } from '../shapes/mesh';
import { box, turned } from '../shapes/solids';
import { fbm } from '../textures/noise';

const SHORE = 2600;
/** Stretch of the horizon that the shore takes, radians about the vertical. */
const FROM = 0.7;
const TO = 2.5;

function ridge(s: number): number {
  const taper = Math.sin(Math.PI * s) ** 0.6;
  return 170 * taper * fbm(s, 0.4, 7, 4, 21);
}

/** Hills as a strip that stands on the sea, leaning back. */
export function buildHills(): Mesh {
  const mesh = new Mesh();
  mesh.grid(160, 6, (s, t) => {
    const angle = TO + (FROM - TO) * s;
    const back = (1 - t) * 500;
    const rough = 30 * (fbm(s, t, 40, 3, 5) - 0.5) * Math.sin(Math.PI * t);
    const height = ridge(s) * (1 - t) ** 0.8 + rough;
    const r = SHORE + back;
    const lean = 0.8;
    return {
      p: [Math.sin(angle) * r, height - ABOVE_SEA - 1, Math.cos(angle) * r],
      n: [-Math.sin(angle) * lean, 0.6, -Math.cos(angle) * lean],
    };
  });
  return mesh;
}

/** A few lit windows and a harbour light, as small boxes. */
export function buildShoreLights(): Mesh {
  const mesh = new Mesh();
  const random = randomStream(9);
  for (let i = 0; i < 26; i++) {
    const s = 0.3 + 0.45 * random() * random();
    const f = turned(TO + (FROM - TO) * s, SHORE - 6);
    box(mesh, f, [0, 3 + ridge(s) * 0.16 * random() - ABOVE_SEA, 0], [3, 3, 2]);
  }
  return mesh;
}

/** A gull that glides: two bent wings and a body, 1.1 m from tip to tip. */
export function buildGull(): Mesh {
  const mesh = new Mesh();
  for (const side of [1, -1]) {
    const wing = [
      [0, 0.02, -0.06],
      [side * 0.28, 0.1, -0.1],
      [side * 0.28, 0.1, 0.03],
      [0, 0.02, 0.08],
    ];
    const tip = [wing[1], [side * 0.56, 0.05, 0.04], [side * 0.54, 0.05, 0.07], wing[2]];
    for (const face of [wing, tip]) mesh.quad(side > 0 ? [...face].reverse() : face);
  }
  box(mesh, turned(0), [0, 0, 0.02], [0.09, 0.08, 0.42], 0.03);
  return mesh;
}
