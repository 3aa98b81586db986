/** Lights as the compiled loops read them: 32-bit floats, and whole numbers where they count or name something. */
import { AS_ASKED, BY_MAPS, FREELY } from '@daxel/kernel/generated/layouts/arrivals';
import * as L from '@daxel/kernel/generated/layouts/light';
import * as V from '@daxel/kernel/generated/layouts/mapView';
import type { FrameLight } from '../light/frameLight';
import { writeLightShape } from '../light/lightShape';
import { extentOf, type ShadowReading } from '../shadows/shadowAt';
import type { ShadowView } from '../light/shadowView';
import type { LightingInput } from './lighting';

/** Maps that a record has room for. */
const MOST_VIEWS = (L.LIGHT_STRIDE - L.VIEWS) / V.VIEW_STRIDE;

export class LightRecords {
  private readonly numbers: Float32Array;
  private readonly whole: Int32Array;

  /**
   * @param at address of the first of `most` records
   * @param base world position from which places are told
   */
  constructor(
    buffer: ArrayBufferLike,
    at: number,
    most: number,
    private readonly base: readonly [number, number, number],
  ) {
    this.numbers = new Float32Array(buffer, at, most * L.LIGHT_STRIDE);
    this.whole = new Int32Array(buffer, at, most * L.LIGHT_STRIDE);
  }

  /** @param index place among the records */
  write(index: number, light: FrameLight, lighting: LightingInput, reading: ShadowReading): void {
    const at = index * L.LIGHT_STRIDE;
    const { numbers, whole, base } = this;
    const hard = reading.filter === 'hard';
    whole[at + L.KIND] = light.kind;
    writeLightShape(numbers, at + L.POINT, light, base);
    whole[at + L.FACING_OF_LIGHT] = light.facing;
    numbers.set([light.fx, light.fy, light.fz], at + L.FACE_OF_LIGHT);
    numbers[at + L.SPOT_SCALE] = light.spotScale;
    numbers[at + L.SPOT_OFFSET] = light.spotOffset;
    whole[at + L.SAMPLED] = light.sampled ? 1 : 0;
    whole[at + L.ARRIVES] = arrival(light, lighting, reading);
    whole[at + L.MAPS] = light.maps.length;
    whole[at + L.TAPS] = hard ? 1 : reading.taps;
    numbers[at + L.HALF_WIDTH] = hard ? 0 : reading.radius;
    whole[at + L.AUTOMATIC] = reading.automatic ? 1 : 0;
    numbers[at + L.SLOPE_BIAS] = reading.slopeBias;
    numbers[at + L.NORMAL_OFFSET] = reading.normalOffset;
    numbers[at + L.BLEND] = reading.blend;
    whole[at + L.ROUND] = light.round ? 1 : 0;
    numbers[at + L.SOFT_SIZE] = reading.filter === 'soft' ? extentOf(light) : 0;
    light.maps.slice(0, MOST_VIEWS).forEach((view, k) => this.writeView(at + L.VIEWS + k * V.VIEW_STRIDE, view));
  }

  private writeView(at: number, view: ShadowView): void {
    const { numbers, whole, base } = this;
    const m = view.matrix;
    for (let r = 0; r < 16; r += 4) {
      numbers.set([m[r], m[r + 1], m[r + 2]], at + V.MATRIX + r);
      numbers[at + V.MATRIX + r + 3] = m[r] * base[0] + m[r + 1] * base[1] + m[r + 2] * base[2] + m[r + 3];
    }
    whole[at + V.RESOLUTION] = view.resolution;
    numbers[at + V.TEXEL_SIZE] = view.texelSize;
    whole[at + V.PERSPECTIVE] = view.perspective ? 1 : 0;
    numbers[at + V.DEPTH_SCALE] = view.depthScale;
    numbers[at + V.END] = view.end;
    numbers[at + V.DEPTH_CODES] = view.depthCodes;
    whole[at + V.OFFSET] = view.offset;
    whole[at + V.BLOCK_OFFSET] = view.blockOffset;
  }
}

function arrival(light: FrameLight, lighting: LightingInput, reading: ShadowReading): number {
  if (!light.castsShadow) return FREELY;
  if (lighting.rays !== null || lighting.contact !== null) return AS_ASKED;
  if (light.maps.length === 0) return FREELY;
  if (light.maps.length > MOST_VIEWS || reading.filter === 'moment') return AS_ASKED;
  return BY_MAPS;
}
