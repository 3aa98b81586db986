/** Probes as they are seen in a picture: balls lit as each of them knows, and how well they see the surfaces between them. */
import { PROBE_LIGHT, PROBE_POSITION, PROBE_STATE, PROBE_STRIDE } from '@daxel/kernel/generated/layouts/probe';
import type { PixelBox } from '../../raster/tile';
import { VIEW_KEYS } from '../../shading/views';
import { LIGHT_TEXEL } from './bake';
import { probesIn, type ProbeBox } from './box';
import { shown, wayThrough, type AroundView, type ShownAround } from '../view';
import { askBox, FOUND_SEEN, FOUND_SIZE, FOUND_SURE } from './gather';
import { MAP_STRIDE, readingOf, type Reading } from './octMap';
import { PROBE_BURIED, PROBE_FREE } from './probeState';

/** Radius of a ball, in shares of the least step of its box. */
const RADIUS = 0.12;
/** Of those that were moved or are buried, what is drawn in the colour of that: cosine to the eye below which it is. */
const RIM = 0.6;

/** @param probes PROBE_STRIDE numbers each */
export function createProbeView(
  boxes: readonly ProbeBox[],
  probes: Float32Array,
  { rays, exposure }: ShownAround,
): AroundView {
  // colours of the rims
  const [moved, buried] = VIEW_KEYS.probes!.slice(4).map((k) => k.rgb);
  const { origin, forward, base, right, down, perspective } = rays;
  const pixel = Math.sqrt(right[0] ** 2 + right[1] ** 2 + right[2] ** 2);
  const near: { probe: number; radius: number }[] = [];
  const found = new Float64Array(FOUND_SIZE);
  const reading: Reading = { texel: 0, weights: new Float64Array(4) };
  const along = new Float64Array(3);
  const from = new Float64Array(3);
  const normal = new Float64Array(3);

  /** Whether a ball may be seen in a box of pixels. */
  const touches = (o: number, radius: number, { x0, y0, x1, y1 }: PixelBox): boolean => {
    let [depth, across, below] = [0, 0, 0];
    for (let c = 0; c < 3; c++) {
      const to = probes[o + PROBE_POSITION + c] - origin[c];
      depth += to * forward[c];
      across += to * right[c];
      below += to * down[c];
    }
    if (depth <= radius) return false;
    const scale = (perspective ? depth : 1) * pixel * pixel;
    let [midX, midY] = [0, 0];
    const start = perspective ? base : base.map((b, c) => b - origin[c]);
    for (let c = 0; c < 3; c++) {
      midX -= (start[c] * right[c]) / (pixel * pixel);
      midY -= (start[c] * down[c]) / (pixel * pixel);
    }
    // seen aslant a ball is longer than it is wide
    const reach = (1.5 * radius) / ((perspective ? depth : 1) * pixel) + 1;
    const [x, y] = [midX + across / scale, midY + below / scale];
    return x > x0 - reach && x < x1 + reach && y > y0 - reach && y < y1 + reach;
  };
  const shade = (o: number, facing: number, out: Float64Array): void => {
    const state = probes[o + PROBE_STATE];
    if (state !== PROBE_FREE && facing < RIM) return void out.set(state === PROBE_BURIED ? buried : moved);
    readingOf(normal[0], normal[1], normal[2], reading);
    const t = o + PROBE_LIGHT + reading.texel * LIGHT_TEXEL;
    const u = t + MAP_STRIDE * LIGHT_TEXEL;
    const [w0, w1, w2, w3] = reading.weights;
    for (let c = 0; c < 3; c++) {
      const light =
        probes[t + c] * w0 + probes[t + LIGHT_TEXEL + c] * w1 + probes[u + c] * w2 + probes[u + LIGHT_TEXEL + c] * w3;
      out[c] = shown(light / Math.PI, exposure);
    }
  };

  return {
    begin(tile) {
      near.length = 0;
      for (const box of boxes) {
        const radius = RADIUS * Math.min(...box.step);
        for (let k = box.first; k < box.first + probesIn(box); k++)
          if (touches(k * PROBE_STRIDE, radius, tile)) near.push({ probe: k * PROBE_STRIDE, radius });
      }
    },
    coverAt(px, py, depth, out) {
      wayThrough(rays, px, py, from, along);
      const a = along[0] ** 2 + along[1] ** 2 + along[2] ** 2;
      let nearest = depth;
      let found = -1;
      for (const { probe, radius } of near) {
        let [b, c] = [0, -radius * radius];
        for (let k = 0; k < 3; k++) {
          const to = from[k] - probes[probe + PROBE_POSITION + k];
          b += to * along[k];
          c += to * to;
        }
        const root = b * b - a * c;
        if (root < 0) continue;
        // rays grow by a metre along the view axis
        const at = (-b - Math.sqrt(root)) / a;
        if (!(at > 0 && at < nearest)) continue;
        nearest = at;
        found = probe;
        for (let k = 0; k < 3; k++) normal[k] = (from[k] + along[k] * at - probes[probe + PROBE_POSITION + k]) / radius;
      }
      if (found < 0) return false;
      const facing = -(normal[0] * along[0] + normal[1] * along[1] + normal[2] * along[2]) / Math.sqrt(a);
      shade(found, facing, out);
      return true;
    },
    measureAt(at) {
      let [sure, seen] = [0, 0];
      for (const box of boxes) {
        askBox(box, probes, at, found);
        seen += (1 - sure) * found[FOUND_SURE] * found[FOUND_SEEN];
        sure += (1 - sure) * found[FOUND_SURE];
      }
      return sure > 0 ? seen / sure : -1;
    },
  };
}
