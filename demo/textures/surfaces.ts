/** The painted materials of Marrow Skerry Light. All made up, all seeded. */
import type { ImageSource } from '@daxel/core/scene/source';
import { cellular, fbm, mix, ramp, valueNoise } from './noise';
import { onGrid, paintColor, paintData, paintNormals } from './paint';

/** Base colour, occlusion-roughness-metalness, and normals of one material. */
export interface SurfaceImages {
  color: ImageSource;
  data: ImageSource;
  normal: ImageSource;
}

/** Cream plaster over `1.1 m` of wall: v = 0 at its top, stained towards the skirting, hairline cracks. */
export function plaster(size: number): SurfaceImages {
  const crack = (u: number, v: number): number => {
    const bend = 0.05 * (fbm(u, v, 4, 3, 11) - 0.5);
    const { f1, f2 } = cellular(u + bend, v - bend, 4, 5);
    const present = ramp(0.5, 0.72, valueNoise(u, v, 3, 91));
    return (1 - ramp(0, 0.016, f2 - f1)) * present;
  };
  const stain = (u: number, v: number): number => ramp(0.45, 1.05, v + 0.35 * (fbm(u, v, 6, 4, 21) - 0.4));
  return {
    color: paintColor('plaster', size, size, (u, v, out) => {
      const tone = 0.86 + 0.2 * (fbm(u, v, 8, 5, 3) - 0.5);
      const s = stain(u, v);
      const c = 1 - 0.65 * crack(u, v);
      out[0] = mix(0.74, 0.4, s) * tone * c;
      out[1] = mix(0.68, 0.33, s) * tone * c;
      out[2] = mix(0.55, 0.23, s) * tone * c;
    }),
    data: paintData('plaster data', size, size, (u, v, out) => {
      out[0] = 0.34 + 0.34 * ramp(0, 0.8, 1 - v);
      out[1] = 0.72 + 0.25 * (fbm(u, v, 32, 3, 8) - 0.5) - 0.12 * stain(u, v);
      out[2] = 0;
    }),
    normal: paintNormals(
      'plaster normals',
      size,
      1.7,
      (u, v) => 0.006 * fbm(u, v, 12, 6, 4) - 0.0035 * crack(u, v),
      0.8,
    ),
  };
}

/** Courses of whitewashed granite, `BLOCK_COURSES` to a tile: blocks half a length aside in every other, soft joints. */
const BLOCK_COURSES = 7;
const BLOCKS = 5;

export function whitewash(size: number, metres: number): SurfaceImages {
  /** Distance to the nearest joint, metres, and a number of the block. */
  const block = (u: number, v: number): { joint: number; number: number } => {
    const course = Math.floor(v * BLOCK_COURSES);
    const along =
      u * BLOCKS + (course % 2) * 0.5 + 0.16 * (valueNoise(0.5, (course + 0.5) / BLOCK_COURSES, 7, 13) - 0.5);
    const number = Math.floor(along);
    const [a, b] = [along - number, v * BLOCK_COURSES - course];
    const joint = Math.min((Math.min(a, 1 - a) * metres) / BLOCKS, (Math.min(b, 1 - b) * metres) / BLOCK_COURSES);
    return {
      joint: joint + 0.02 * (fbm(u, v, 24, 3, 17) - 0.5),
      number: course * 16 + (((number % BLOCKS) + BLOCKS) % BLOCKS),
    };
  };
  const worn = onGrid(size, (u, v) => ramp(0.56, 0.68, fbm(u, v, 5, 5, 23)));
  return {
    color: paintColor('whitewash', size, size, (u, v, out) => {
      const { joint, number } = block(u, v);
      const tone = 0.94 + 0.12 * (fbm(u, v, 14, 5, 27) - 0.5) - 0.06 * (((number * 7) % 5) / 5);
      const grey = 0.55 * worn(u, v) + 0.3 * (1 - ramp(0.004, 0.018, joint));
      out[0] = mix(0.76, 0.3, grey) * tone;
      out[1] = mix(0.745, 0.29, grey) * tone;
      out[2] = mix(0.69, 0.275, grey) * tone;
    }),
    data: paintData('whitewash data', size / 2, size / 2, (u, v, out) => {
      out[0] = 1;
      out[1] = 0.82 + 0.16 * (fbm(u, v, 20, 3, 29) - 0.5);
      out[2] = 0;
    }),
    normal: paintNormals('whitewash normals', size, metres, (u, v) => {
      const { joint } = block(u, v);
      return 0.014 * ramp(0.002, 0.026, joint) + 0.012 * fbm(u, v, 12, 5, 31) * (1 - 0.4 * worn(u, v));
    }),
  };
}

/** Slate over the whole floor, `metres` a side, wet where it is low and near `doorU, doorV`. */
export function slate(size: number, doorU: number, doorV: number): SurfaceImages {
  const height = (u: number, v: number): number =>
    0.006 * fbm(u, v, 10, 5, 31) + 0.004 * Math.abs(2 * fbm(u, v, 24, 3, 37) - 1);
  const wet = onGrid(size, (u, v) => {
    const near = 1 - ramp(0.12, 0.62, Math.hypot(u - doorU, v - doorV));
    return ramp(0.52, 0.64, fbm(u, v, 5, 3, 77) * 0.85 + 0.34 * near);
  });
  return {
    color: paintColor('slate', size, size, (u, v, out) => {
      const tone = 0.75 + 0.6 * (fbm(u, v, 9, 5, 32) - 0.4) + 0.18 * (valueNoise(u, v, 7, 55) - 0.5);
      const rust = 0.5 * ramp(0.58, 0.75, fbm(u, v, 6, 3, 35));
      const dark = mix(1, 0.6, wet(u, v));
      out[0] = mix(0.31, 0.36, rust) * tone * dark;
      out[1] = mix(0.315, 0.3, rust) * tone * dark;
      out[2] = mix(0.32, 0.22, rust) * tone * dark;
    }),
    data: paintData('slate data', size / 2, size / 2, (u, v, out) => {
      const r = Math.hypot(u - 0.5, v - 0.5);
      const underPlinth = ramp(0.09, 0.24, r);
      const corner = 1 - 0.45 * ramp(0.36, 0.5, r);
      out[0] = 0.62 * underPlinth * corner;
      out[1] = mix(0.5 + 0.3 * (fbm(u, v, 20, 4, 33) - 0.5), 0.05, wet(u, v));
      out[2] = 0;
    }),
    normal: paintNormals('slate normals', size, 4.4, (u, v) => {
      const w = wet(u, v);
      return mix(height(u, v), 0.0007 * fbm(u, v, 40, 2, 61) + 0.004, w);
    }),
  };
}

/** Painted iron plates after rain: worn to the metal in places, water in the hollows. */
export function wetPlates(size: number): SurfaceImages {
  const wet = onGrid(size, (u, v) => ramp(0.5, 0.6, fbm(u, v, 4, 4, 91)));
  return {
    color: paintColor('deck plates', size, size, (u, v, out) => {
      const tone = (0.8 + 0.5 * (fbm(u, v, 16, 5, 92) - 0.5)) * mix(1, 0.55, wet(u, v));
      const rust = ramp(0.6, 0.74, fbm(u, v, 9, 5, 93));
      out[0] = mix(0.105, 0.2, rust) * tone;
      out[1] = mix(0.115, 0.095, rust) * tone;
      out[2] = mix(0.12, 0.05, rust) * tone;
    }),
    data: paintData('deck plate data', size / 2, size / 2, (u, v, out) => {
      out[0] = 1;
      out[1] = mix(0.42 + 0.3 * (fbm(u, v, 24, 4, 94) - 0.5), 0.06, wet(u, v));
      out[2] = 0;
    }),
    normal: paintNormals('deck plate normals', size, 2.4, (u, v) => {
      const grain = 0.0022 * fbm(u, v, 30, 5, 95) + 0.004 * fbm(u, v, 5, 2, 97);
      return mix(grain, 0.0035 + 0.0004 * fbm(u, v, 30, 2, 96), wet(u, v));
    }),
  };
}

/** Rolled and handled metal: fine scratches and finger marks in the roughness. */
export function metalData(name: string, size: number, low: number, high: number, occlusion: number): ImageSource {
  return paintData(name, size, size, (u, v, out) => {
    const marks = fbm(u, v, 6, 5, 71);
    const scratch = Math.abs(2 * fbm(u * 0.25, v, 64, 2, 72) - 1);
    out[0] = occlusion;
    out[1] = low + (high - low) * (0.75 * marks + 0.25 * scratch);
    out[2] = 1;
  });
}

/** One pixel of data: occlusion, roughness, metalness. */
export function evenData(name: string, ...values: [number, number, number]): ImageSource {
  return paintData(name, 1, 1, (_u, _v, out) => out.set(values));
}

/** Cast iron under old paint. */
export function ironNormals(size: number): ImageSource {
  return paintNormals('cast iron normals', size, 0.5, (u, v) => 0.0016 * fbm(u, v, 24, 4, 41));
}

const VEINS = [-1.25, -0.62, 0, 0.62, 1.25];

/** A leaf, round with five shallow lobes; alpha cuts it out. v = 1 at the stalk. */
export function leaf(size: number): ImageSource {
  return paintColor('leaf', size, size, (u, v, out) => {
    const x = (u - 0.5) * 2;
    const y = (0.52 - v) * 2;
    const a = Math.atan2(x, y);
    const r = Math.hypot(x, y);
    const rim = 0.86 + 0.09 * Math.cos(5 * a) - 0.45 * ramp(2.5, 3.14, Math.abs(a));
    let vein = 9;
    for (const d of VEINS) vein = Math.min(vein, Math.abs(Math.sin(a - d)) * r + (Math.cos(a - d) < 0 ? 1 : 0));
    const zone = Math.exp(-((r - 0.52) ** 2) / 0.012);
    const light = 0.8 + 0.5 * (fbm(u, v, 12, 4, 81) - 0.5) + 0.5 * (1 - ramp(0, 0.035, vein));
    out[0] = (0.075 + 0.05 * zone) * light;
    out[1] = (0.19 - 0.07 * zone) * light;
    out[2] = 0.035 * light;
    out[3] = r < rim ? 1 : 0;
  });
}

/** Laid rope: strands across the length. */
export function ropeNormals(size: number): ImageSource {
  return paintNormals('rope normals', size, 0.06, (u, v) => 0.0035 * Math.abs(Math.sin((u + v) * Math.PI * 3)));
}

export function ropeColor(size: number): ImageSource {
  return paintColor('rope', size, size, (u, v, out) => {
    const strand = 0.6 + 0.4 * Math.abs(Math.sin((u + v) * Math.PI * 3));
    const t = strand * (0.8 + 0.5 * (fbm(u, v, 24, 3, 51) - 0.5));
    out[0] = 0.48 * t;
    out[1] = 0.36 * t;
    out[2] = 0.2 * t;
  });
}

/** Open sea: height of small crossed waves over `metres` a side. */
export function seaNormals(size: number, metres: number): ImageSource {
  return paintNormals(
    'sea normals',
    size,
    metres,
    (u, v) => 0.9 * fbm(2 * u, v, 3, 7, 13) + 0.5 * Math.abs(2 * fbm(u, v, 10, 5, 17) - 1),
    0.45,
  );
}

/** Enamel dial with marks and a hand; u, v over the disc's square. */
export function dial(size: number): ImageSource {
  return paintColor('barometer dial', size, size, (u, v, out) => {
    const x = (u - 0.5) * 2;
    const y = (v - 0.5) * 2;
    const r = Math.hypot(x, y);
    const a = Math.atan2(x, -y);
    const big = Math.abs(((a / (Math.PI / 6) + 24.5) % 1) - 0.5) < 0.05 && r > 0.66 && r < 0.88;
    const small = Math.abs(((a / (Math.PI / 30) + 60.5) % 1) - 0.5) < 0.1 && r > 0.78 && r < 0.88;
    const d = x * Math.sin(0.7) - y * Math.cos(0.7);
    const off = Math.abs(x * Math.cos(0.7) + y * Math.sin(0.7));
    const hand = d > -0.2 && d < 0.7 && off < 0.022 * (1.2 - d);
    const ring = Math.abs(r - 0.6) < 0.008;
    const ink = big || small || hand || ring || r < 0.06;
    out[0] = ink ? 0.03 : 0.74;
    out[1] = ink ? 0.03 : 0.7;
    out[2] = ink ? 0.035 : 0.58;
  });
}

/** Weathered boards along u. */
export function wood(size: number): ImageSource {
  return paintColor('shelf wood', size, size, (u, v, out) => {
    const grain = fbm(u * 0.25, v, 24, 5, 61);
    const t = 0.55 + 0.8 * (grain - 0.3);
    out[0] = 0.3 * t;
    out[1] = 0.17 * t;
    out[2] = 0.085 * t;
  });
}

/** Limewash on uneven plaster, nearly white: brushed on in clouds. */
export function limewash(size: number): SurfaceImages {
  return {
    color: paintColor('limewash', size, size, (u, v, out) => {
      const cloud = fbm(u, v, 5, 5, 43) - 0.5;
      const brush = fbm(u, v * 0.5, 40, 3, 45) - 0.5;
      const tone = 1 + 0.05 * cloud + 0.03 * brush;
      out[0] = 0.79 * tone;
      out[1] = 0.775 * tone;
      out[2] = 0.735 * tone;
    }),
    data: paintData('limewash data', size / 2, size / 2, (u, v, out) => {
      out[0] = 1;
      out[1] = 0.86 + 0.12 * (fbm(u, v, 20, 3, 47) - 0.5);
      out[2] = 0;
    }),
    normal: paintNormals(
      'limewash normals',
      size,
      2.4,
      (u, v) => 0.009 * fbm(u, v, 4, 3, 49) + 0.0012 * fbm(u, v, 40, 3, 51),
    ),
  };
}

/** Oiled oak: grain along u, worn paler where it is walked on. */
export function boards(size: number): SurfaceImages {
  const grain = onGrid(size, (u, v) => {
    const bend = 0.03 * (fbm(u, v, 4, 3, 53) - 0.5);
    return fbm(u * 0.5, v + bend, 48, 4, 57);
  });
  return {
    color: paintColor('oak', size, size, (u, v, out) => {
      const t = 0.74 + 0.62 * (grain(u, v) - 0.5) + 0.4 * (fbm(u, v, 4, 3, 59) - 0.5);
      out[0] = 0.39 * t;
      out[1] = 0.245 * t;
      out[2] = 0.132 * t;
    }),
    data: paintData('oak data', size / 2, size / 2, (u, v, out) => {
      out[0] = 1;
      out[1] = 0.42 + 0.35 * (fbm(u, v, 10, 4, 63) - 0.5) + 0.15 * (0.5 - grain(u, v));
      out[2] = 0;
    }),
    normal: paintNormals('oak normals', size, 1.2, (u, v) => 0.0011 * grain(u, v)),
  };
}

/** Threads over and under: one repeat is about 2.5 cm of linen. */
export function weave(size: number): ImageSource {
  return paintNormals('weave normals', size, 0.05, (u, v) => {
    const [a, b] = [u * 32, v * 32];
    const over = (Math.floor(a) + Math.floor(b)) % 2 === 0;
    const thread = (x: number): number => Math.sqrt(Math.max(0, 1 - (2 * (x - Math.floor(x)) - 1) ** 2));
    return 0.0005 * (over ? thread(a) : thread(b));
  });
}

/** The pores of a lemon. */
export function peel(size: number): ImageSource {
  return paintNormals('peel normals', size, 0.1, (u, v) => 0.0022 * ramp(0, 0.5, cellular(u, v, 22, 67).f1));
}

/** A long leaf, v along it: paler down the middle, fine stripes. */
export function strapLeaf(size: number): ImageSource {
  return paintColor('long leaf', size, size, (u, v, out) => {
    const middle = Math.exp(-(((u - 0.5) / 0.05) ** 2));
    const stripe = fbm(u, v * 0.06, 40, 3, 69) - 0.5;
    const tone = 0.95 + 0.45 * stripe + 0.35 * middle - 0.25 * v;
    out[0] = (0.07 + 0.05 * middle) * tone;
    out[1] = (0.185 + 0.03 * middle) * tone;
    out[2] = 0.04 * tone;
  });
}
