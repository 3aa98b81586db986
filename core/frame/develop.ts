/** From sums of samples to the display picture, by rows. */
import { bindKernel, type KernelExports } from '@daxel/kernel/load';
import { glowAt, glowLevels, WIDER } from '../film/bloom';
import { CODE_CURVE, displayCode, ditherNoise, neutralTone, NO_NOISE, roundedCode, type ToneCurve } from '../film/tone';
import { SUMS } from '../light/components';
import type { PixelBox } from '../raster/tile';
import type { RayFrame } from '../scene/camera';

export interface DevelopInput {
  width: number;
  height: number;
  sums: Float32Array;
  /** 2^EV over the number of samples. */
  scale: number;
  /** rgb per pixel, scene-linear. */
  beauty: Float32Array;
  /** rgb per pixel of the half-size glow; behind it there may be room for its wider levels. */
  glow: Float32Array;
  /** rgba per pixel, sRGB codes. */
  display: Uint8Array;
  tone: ToneCurve;
  /** Share of light spread by the lens, 0…1. */
  bloom: number;
  /** 1 for the full cosine-to-the-fourth falloff. */
  vignette: number;
  dither: boolean;
  rays: RayFrame;
}

const rgb = new Float64Array(3);
const glowRgb = new Float64Array(3);

/** The compiled loops, and the curve of codes in their memory; all arrays of the input are views of it. */
export interface DevelopKernel {
  loops: KernelExports;
  codes: Float32Array;
}

/** Puts what the loops need into their memory. @param codes as long as CODE_CURVE */
export function developKernel(memory: WebAssembly.Memory, codes: Float32Array): DevelopKernel {
  codes.set(CODE_CURVE);
  return { loops: bindKernel(memory), codes };
}

/** As `gatherBeauty`, by the compiled loops. */
export function gatherQuickly({ loops }: DevelopKernel, input: DevelopInput, { x0, y0, x1, y1 }: PixelBox): void {
  const { width, sums, beauty } = input;
  loops.gatherBeauty(sums.byteOffset, input.scale, beauty.byteOffset, width, x0, y0, x1, y1);
}

/** Writes `glow`, as `spreadGlow` has it, by the compiled loops. @param input with room for all levels of its glow */
export function spreadQuickly(
  { loops }: DevelopKernel,
  input: Pick<DevelopInput, 'beauty' | 'glow' | 'width' | 'height'>,
): void {
  const levels = glowLevels(input.width, input.height).map((level) => ({
    ...level,
    at: input.glow.byteOffset + level.at * 4,
  }));
  let from = { width: input.width, height: input.height, at: input.beauty.byteOffset };
  for (const level of levels) {
    loops.halveGlow(from.at, from.width, from.height, level.at);
    from = level;
  }
  for (let l = levels.length - 2; l >= 0; l--) {
    const [sharp, wide] = [levels[l], levels[l + 1]];
    loops.addGlow(sharp.at, sharp.width, sharp.height, wide.at, wide.width, wide.height, WIDER);
  }
}

/** As `encodeRows`, by the compiled loops. */
export function encodeQuickly({ loops, codes }: DevelopKernel, input: DevelopInput, from: number, to: number): void {
  const { width, height, beauty, rays } = input;
  loops.encodeRows(
    beauty.byteOffset,
    input.display.byteOffset,
    width,
    height,
    from,
    to,
    input.bloom,
    input.glow.byteOffset,
    rays.perspective ? input.vignette : 0,
    slopeSquared(rays),
    input.tone === 'neutral' ? 1 : 0,
    input.dither ? 1 : 0,
    codes.byteOffset,
  );
}

/** Writes `display`, once beauty and its glow stand. */
export function encodeRows(input: DevelopInput, from: number, to: number): void {
  for (let y = from; y < to; y++) encodeRow(input, y);
}

const { fround } = Math;

/** Beauty is the sum of direct, bounce, reflection and emission, in this order and in 32-bit floats, as its layers are. */
export function gatherBeauty(
  { sums, scale, beauty, width }: Pick<DevelopInput, 'sums' | 'scale' | 'beauty' | 'width'>,
  { x0, y0, x1, y1 }: PixelBox,
): void {
  const factor = fround(scale);
  for (let y = y0; y < y1; y++) {
    for (let i = y * width + x0, end = y * width + x1; i < end; i++) {
      const o = i * SUMS;
      for (let c = 0; c < 3; c++) {
        const lit = fround(fround(sums[o + c] + sums[o + 3 + c]) + sums[o + 6 + c]);
        beauty[i * 3 + c] = fround(lit + sums[o + 9 + c]) * factor;
      }
    }
  }
}

/** Square of the tangent under which a pixel's width is seen. */
function slopeSquared({ right }: RayFrame): number {
  return right[0] * right[0] + right[1] * right[1] + right[2] * right[2];
}

function encodeRow(input: DevelopInput, y: number): void {
  const { width, display } = input;
  for (let x = 0; x < width; x++) {
    const i = y * width + x;
    displayLinear(input, x, y, rgb);
    for (let c = 0; c < 3; c++) {
      display[i * 4 + c] = roundedCode(displayCode(rgb[c]), input.dither ? ditherNoise(i, c) : NO_NOISE);
    }
    display[i * 4 + 3] = 255;
  }
}

/** Display-linear rgb of a pixel after glow, vignette and tone curve. */
export function displayLinear(input: DevelopInput, x: number, y: number, out: Float64Array): void {
  const { width, height, beauty, rays } = input;
  const i = (y * width + x) * 3;
  out[0] = beauty[i];
  out[1] = beauty[i + 1];
  out[2] = beauty[i + 2];
  if (input.bloom > 0) {
    const glow = { width: Math.max(1, width >> 1), height: Math.max(1, height >> 1), rgb: input.glow };
    glowAt(glow, (x + 0.5) / width, (y + 0.5) / height, glowRgb);
    for (let c = 0; c < 3; c++) out[c] += (glowRgb[c] - out[c]) * input.bloom;
  }
  if (input.vignette > 0 && rays.perspective) {
    const dx = x + 0.5 - width / 2;
    const dy = y + 0.5 - height / 2;
    const cos2 = 1 / (1 + (dx * dx + dy * dy) * slopeSquared(rays));
    const k = 1 + (cos2 * cos2 - 1) * input.vignette;
    for (let c = 0; c < 3; c++) out[c] *= k;
  }
  if (input.tone === 'neutral') neutralTone(out);
}
