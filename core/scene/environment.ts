/** Light from all around: evaluation, irradiance and blurred reflections of an environment. */
import { cos, sin } from '../math/exact';
import { octahedralDecode, squareToSphere } from '../math/octahedron';
import { projectIrradiance } from '../math/sh';
import { unit } from '../math/mat4';
import { ENVIRONMENT_LEVELS, ENVIRONMENT_SIDE } from './compiled';
import type { EnvironmentSource } from './source';

export type RadianceFunction = (x: number, y: number, z: number, out: Float64Array) => void;

/**
 * Makes a function that writes the radiance (rgb, nit) seen towards a unit direction.
 * The stops are blended with smooth steps in the sine of the elevation; the glow is k / (1 + sharpness · (1 − cos γ))².
 */
export function environmentRadiance(environment: EnvironmentSource): RadianceFunction {
  const stops = [...environment.stops].sort((a, b) => a.y - b.y);
  const ys = Float64Array.from(stops, (s) => s.y);
  const colors = Float64Array.from(stops.flatMap((s) => s.radiance));
  const last = stops.length - 1;
  const strength = environment.strength;
  const glow = environment.glow;
  const angle = (environment.rotationDeg * Math.PI) / 180;
  const [ca, sa] = [cos(angle), sin(angle)];
  const g = glow ? unit(glow.direction) : [0, 1, 0];
  const gx = g[0] * ca + g[2] * sa;
  const gz = g[2] * ca - g[0] * sa;
  return (x, y, z, out) => {
    let i = 0;
    while (i < last && y > ys[i + 1]) i++;
    let t = i < last ? (y - ys[i]) / (ys[i + 1] - ys[i] || 1) : 0;
    t = t < 0 ? 0 : t > 1 ? 1 : t;
    t = t * t * (3 - 2 * t);
    const a = i * 3;
    const b = (i < last ? i + 1 : i) * 3;
    let k = 0;
    if (glow) {
      const d = 1 + glow.sharpness * (1 - (x * gx + y * g[1] + z * gz));
      k = 1 / (d * d);
    }
    for (let c = 0; c < 3; c++) {
      const base = colors[a + c] + (colors[b + c] - colors[a + c]) * t;
      out[c] = (base + (glow ? glow.radiance[c] * k : 0)) * strength;
    }
  };
}

/** Irradiance coefficients (27 numbers); zero when the environment does not light surfaces. */
export function environmentIrradiance(environment: EnvironmentSource): Float32Array {
  if (!environment.lightsSurfaces) return new Float32Array(27);
  return projectIrradiance(environmentRadiance(environment), 64, squareToSphere);
}

/**
 * Radiance blurred by the GGX lobe of roughness 0, 0.2 … 1 about the mirror direction
 * (the split-sum of Karis 2013, SIGGRAPH course Physically Based Shading in Theory and Practice: the view is taken along the normal).
 * @returns ENVIRONMENT_LEVELS octahedral maps of ENVIRONMENT_SIDE² rgb texels
 */
export function prefilterEnvironment(environment: EnvironmentSource, samples = 48): Float32Array {
  const side = ENVIRONMENT_SIDE;
  const map = new Float32Array(ENVIRONMENT_LEVELS * side * side * 3);
  if (!environment.seenInReflections) return map;
  const radiance = environmentRadiance(environment);
  const rgb = new Float64Array(3);
  const d = new Float64Array(3);
  for (let level = 0; level < ENVIRONMENT_LEVELS; level++) {
    const lobe = ggxLobe(level / (ENVIRONMENT_LEVELS - 1), level === 0 ? 1 : samples);
    for (let t = 0; t < side * side; t++) {
      octahedralDecode(((t % side) + 0.5) / side, (Math.floor(t / side) + 0.5) / side, d);
      const [tx, ty, tz, bx, by, bz] = tangentFrame(d[0], d[1], d[2]);
      let r = 0;
      let g = 0;
      let b = 0;
      let weight = 0;
      for (let s = 0; s < lobe.length; s += 3) {
        const [lx, ly, lz] = [lobe[s], lobe[s + 1], lobe[s + 2]];
        radiance(lx * tx + ly * bx + lz * d[0], lx * ty + ly * by + lz * d[1], lx * tz + ly * bz + lz * d[2], rgb);
        r += rgb[0] * lz;
        g += rgb[1] * lz;
        b += rgb[2] * lz;
        weight += lz;
      }
      const o = (level * side * side + t) * 3;
      map[o] = r / weight;
      map[o + 1] = g / weight;
      map[o + 2] = b / weight;
    }
  }
  return map;
}

/** Reflected directions about +Z of half vectors drawn from GGX (Walter et al. 2007), on a Hammersley grid. */
function ggxLobe(roughness: number, samples: number): number[] {
  const alpha = Math.max(roughness * roughness, 1e-4);
  const lobe: number[] = [];
  for (let s = 0; s < samples; s++) {
    const u = samples === 1 ? 0 : (s + 0.5) / samples;
    const phi = 2 * Math.PI * ((s * 0.6180339887498949) % 1);
    const c2 = (1 - u) / (1 + (alpha * alpha - 1) * u);
    const c = Math.sqrt(c2);
    const si = Math.sqrt(1 - c2);
    const lz = 2 * c * c - 1;
    if (lz > 0) lobe.push(2 * c * si * cos(phi), 2 * c * si * sin(phi), lz);
  }
  return lobe;
}

/** Two unit vectors perpendicular to n (Duff et al. 2017, Building an Orthonormal Basis, Revisited). */
function tangentFrame(x: number, y: number, z: number): [number, number, number, number, number, number] {
  const s = z >= 0 ? 1 : -1;
  const a = -1 / (s + z);
  const b = x * y * a;
  return [1 + s * x * x * a, s * b, -s * x, b, s + y * y * a, -y];
}
