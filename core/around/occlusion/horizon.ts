/**
 * How open a place is to what is around it, by the horizons that a depth picture shows along lines through it
 * (Jimenez, Wu, Pesce, Jarabo 2016, Practical Real-Time Strategies for Accurate Indirect Occlusion): in the plane of such a
 * line and the eye, everything between the horizons is open, and the cosine-weighted integral of that is known.
 *
 * What a line adds is counted as what its horizons take away, so that open places are open to the last digit however few
 * lines there are; and a neighbour that does not lie on the line is moved onto it along the place's own plane, so that a
 * plane never shades itself.
 */
import { acos, cos, sin } from '../../math/exact';
import { length } from '../../math/mat4';
import type { RayFrame } from '../../scene/camera';

/** What is seen, pixel by pixel. */
export interface DepthField {
  /** Metres along the view axis, 0 where nothing is. */
  depth: Float32Array;
  width: number;
  height: number;
  rays: RayFrame;
}

export interface HorizonOptions {
  /** Metres. */
  radius: number;
  directions: number;
  /** A way, on both sides of each line. */
  steps: number;
}

/** A place: where it is seen (pixels), where it is from the eye (metres), its unit normal. */
export const PLACE_PIXEL = 0;
export const PLACE_POSITION = 2;
export const PLACE_NORMAL = 5;
export const PLACE_SIZE = 8;

/** What is found: share that is open by the cosine, and by how much the mean open direction leans from ⅔ of the normal. */
export const FOUND_OPEN = 0;
export const FOUND_LEAN = 1;
export const FOUND_SIZE = 4;

/** A tangent plane seen so flatly is not followed any further. */
const FLATTEST = 0.05;

/** Numbers of a line's frame: unit vectors along it (across the view), to the eye and beside it, and how the plane rises beside. */
const ALONG = 0;
const TO_EYE = 3;
const BESIDE = 6;
const RISE = 9;

export class HorizonSearch {
  /** Metres of a pixel at a metre's distance; or anywhere, of a parallel camera. */
  private readonly pixel: number;
  private readonly across: Float64Array;
  private readonly down: Float64Array;
  /** Of the rays, told from the eye. */
  private readonly base: Float64Array;
  private readonly frame = new Float64Array(10);
  /** Pixels across the picture from corner to corner. */
  private readonly farthest: number;
  /** Where the line is looked along: its way in the picture (unit), how far (pixels), where its steps lie (0…1). */
  private dx = 0;
  private dy = 0;
  private reach = 0;
  private jitter = 0;

  constructor(
    private readonly field: DepthField,
    private readonly options: HorizonOptions,
  ) {
    const { right, down, base, origin, perspective } = field.rays;
    this.farthest = Math.sqrt(field.width ** 2 + field.height ** 2);
    this.pixel = length(right);
    this.across = Float64Array.from(right, (v) => v / this.pixel);
    this.down = Float64Array.from(down, (v) => v / this.pixel);
    this.base = Float64Array.from(base, (v, k) => (perspective ? v : v - origin[k]));
  }

  /** @param u, v 0…1: which way the lines lie, and where on them is looked @param out FOUND_SIZE numbers */
  look(place: Float64Array, u: number, v: number, out: Float64Array): void {
    const { directions, radius } = this.options;
    const { perspective, forward } = this.field.rays;
    out[FOUND_OPEN] = 1;
    out[FOUND_LEAN] = out[FOUND_LEAN + 1] = out[FOUND_LEAN + 2] = 0;
    const x = place[PLACE_POSITION];
    const y = place[PLACE_POSITION + 1];
    const z = place[PLACE_POSITION + 2];
    const { frame } = this;
    const away = perspective ? -1 / Math.sqrt(x * x + y * y + z * z) : -1;
    frame[TO_EYE] = (perspective ? x : forward[0]) * away;
    frame[TO_EYE + 1] = (perspective ? y : forward[1]) * away;
    frame[TO_EYE + 2] = (perspective ? z : forward[2]) * away;
    const ahead = x * forward[0] + y * forward[1] + z * forward[2];
    // steps beyond the picture would find nothing
    this.reach = Math.min(this.farthest, radius / (perspective ? this.pixel * ahead : this.pixel));
    // nothing that is nearer than the next pixel can be told from the place itself
    if (!(ahead > 0) || this.reach < 1) return;
    this.jitter = v;
    for (let k = 0; k < directions; k++) {
      const angle = ((k + u) / directions) * Math.PI;
      this.dx = cos(angle);
      this.dy = sin(angle);
      this.alongLine(place, out);
    }
  }

  private alongLine(place: Float64Array, out: Float64Array): void {
    const { frame, across, down, dx, dy } = this;
    const vx = frame[TO_EYE];
    const vy = frame[TO_EYE + 1];
    const vz = frame[TO_EYE + 2];
    let tx = across[0] * dx + down[0] * dy;
    let ty = across[1] * dx + down[1] * dy;
    let tz = across[2] * dx + down[2] * dy;
    const toEye = tx * vx + ty * vy + tz * vz;
    tx -= toEye * vx;
    ty -= toEye * vy;
    tz -= toEye * vz;
    const scale = 1 / Math.sqrt(tx * tx + ty * ty + tz * tz);
    frame[ALONG] = tx *= scale;
    frame[ALONG + 1] = ty *= scale;
    frame[ALONG + 2] = tz *= scale;
    const nx = place[PLACE_NORMAL];
    const ny = place[PLACE_NORMAL + 1];
    const nz = place[PLACE_NORMAL + 2];
    const nt = nx * tx + ny * ty + nz * tz;
    const nv = nx * vx + ny * vy + nz * vz;
    if (!(nv > 0)) return;
    const projected = Math.sqrt(nt * nt + nv * nv);
    const bx = ty * vz - tz * vy;
    const by = tz * vx - tx * vz;
    const bz = tx * vy - ty * vx;
    frame[BESIDE] = bx;
    frame[BESIDE + 1] = by;
    frame[BESIDE + 2] = bz;
    frame[RISE] = (nx * bx + ny * by + nz * bz) / Math.max(nv, FLATTEST);
    // of the angle from the eye to the normal in the plane of the line, on the side to which the line goes
    const sinN = nt / projected;
    const cosN = nv / projected;
    const share = projected / this.options.directions;
    this.walk(place, 1, sinN, cosN, share, out);
    this.walk(place, -1, -sinN, cosN, share, out);
  }

  /**
   * Takes away what stands along one way, as the horizon rises from the tangent plane (at an angle of n + 90° from the eye):
   * each rise by what rises there, as far as that counts (Bavoil, Sainz & Dimitrov 2008, Image-Space Horizon-Based Ambient
   * Occlusion: attenuation of rises). With h from the eye down,
   *   ∫ sin h cos(h − n) dh = ½ cos n sin² h + ½ sin n (h − sin h cos h),
   * and for the mean direction, along the line and towards the eye,
   *   ∫ sin² h cos(h − n) dh = ⅓ cos n sin³ h + sin n (⅔ − cos h + ⅓ cos³ h),
   *   ∫ cos h sin h cos(h − n) dh = ⅓ cos n (1 − cos³ h) + ⅓ sin n sin³ h.
   * @param way 1 ahead, −1 behind @param sinN, cosN of the angle n from the eye to the normal, towards that side
   */
  private walk(place: Float64Array, way: number, sinN: number, cosN: number, share: number, out: Float64Array): void {
    const { frame, base, reach, jitter } = this;
    const { steps, radius } = this.options;
    const { depth, width, height, rays } = this.field;
    const { right, down, forward, perspective } = rays;
    const dx = this.dx * way;
    const dy = this.dy * way;
    const px = place[PLACE_PIXEL];
    const py = place[PLACE_PIXEL + 1];
    const nearest = radius * radius;
    // of the horizon so far: its cosine, sine and angle
    let c = -sinN;
    let s = cosN;
    let h = -1;
    for (let k = 0; k < steps; k++) {
      const t = (k + jitter) / steps;
      const far = 1 + t * t * (reach - 1);
      const sx = Math.floor(px + dx * far);
      const sy = Math.floor(py + dy * far);
      // what lies outside the picture is not known: nothing stands there
      if (sx < 0 || sy < 0 || sx >= width || sy >= height) return;
      const d = depth[sy * width + sx];
      if (d === 0) continue;
      const qx = sx + 0.5;
      const qy = sy + 0.5;
      const deep = perspective ? d : 1;
      const beyond = perspective ? 0 : d;
      const ex = (base[0] + qx * right[0] + qy * down[0]) * deep + forward[0] * beyond - place[PLACE_POSITION];
      const ey = (base[1] + qx * right[1] + qy * down[1]) * deep + forward[1] * beyond - place[PLACE_POSITION + 1];
      const ez = (base[2] + qx * right[2] + qy * down[2]) * deep + forward[2] * beyond - place[PLACE_POSITION + 2];
      const square = ex * ex + ey * ey + ez * ez;
      if (square >= nearest) continue;
      const beside = ex * frame[BESIDE] + ey * frame[BESIDE + 1] + ez * frame[BESIDE + 2];
      const et = ex * frame[ALONG] + ey * frame[ALONG + 1] + ez * frame[ALONG + 2];
      const ev = ex * frame[TO_EYE] + ey * frame[TO_EYE + 1] + ez * frame[TO_EYE + 2] + beside * frame[RISE];
      const length = Math.sqrt(et * et + ev * ev);
      if (!(length > 0) || ev <= c * length) continue;
      const counts = Math.min(1, 2 - (2 * Math.sqrt(square)) / radius) * share;
      if (h < 0) h = acos(c);
      const c1 = ev / length;
      const s1 = Math.sqrt(Math.max(0, 1 - c1 * c1));
      const h1 = acos(c1);
      const lost = cosN * (s * s - s1 * s1) + sinN * (h - h1 - s * c + s1 * c1);
      const sines = s * s * s - s1 * s1 * s1;
      const cosines = c * c * c - c1 * c1 * c1;
      const along = ((cosN * sines) / 3 + sinN * (c1 - c + cosines / 3)) * counts * way;
      const toEye = ((sinN * sines - cosN * cosines) / 3) * counts;
      out[FOUND_OPEN] -= (lost / 2) * counts;
      for (let a = 0; a < 3; a++) out[FOUND_LEAN + a] -= along * frame[ALONG + a] + toEye * frame[TO_EYE + a];
      c = c1;
      s = s1;
      h = h1;
    }
  }
}
