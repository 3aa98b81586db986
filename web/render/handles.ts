/** Handles of lights on the picture: where they lie, and what moving them means. */
import { rayFrame, worldToPixels, type CameraView } from '@daxel/core/scene/camera';
import { faceSize, placeMatrix } from '@daxel/core/light/frameLight';
import { unit } from '@daxel/core/math/mat4';
import type { RigLight } from '@daxel/core/light/rig';

export interface Point {
  x: number;
  y: number;
}
/** One thing that can be dragged. */
export interface Handle {
  part: 'position' | 'aim' | 'size';
  at: Point;
  /** Metres along the view axis, so that a drag keeps it. */
  depth: number;
}
export interface LightHandles {
  handles: Handle[];
  /** Lines that show the light's shape: face, cone or ball. */
  outline: Point[][];
}

/** A camera over a picture of a size in any unit. */
export class PictureSpace {
  private readonly matrix: Float64Array;
  private readonly rays: ReturnType<typeof rayFrame>;

  constructor(
    camera: CameraView,
    readonly width: number,
    readonly height: number,
  ) {
    this.matrix = worldToPixels(camera, width, height);
    this.rays = rayFrame(camera, width, height);
  }

  /** Where a point lies in the picture, and how far along the view axis; null behind the camera. */
  project(p: readonly number[]): { at: Point; depth: number } | null {
    const m = this.matrix;
    const w = m[12] * p[0] + m[13] * p[1] + m[14] * p[2] + m[15];
    const { origin, forward } = this.rays;
    const depth = p.reduce((sum, c, k) => sum + (c - origin[k]) * forward[k], 0);
    if (!(w > 1e-6) || depth <= 0) return null;
    const row = (r: number): number => (m[r] * p[0] + m[r + 1] * p[1] + m[r + 2] * p[2] + m[r + 3]) / w;
    return { at: { x: row(0), y: row(4) }, depth };
  }

  /** The point seen at a place of the picture, so far along the view axis. */
  unproject(at: Point, depth: number): [number, number, number] {
    const { base, right, down, origin, forward, perspective } = this.rays;
    const d = [0, 1, 2].map((k) => base[k] + right[k] * at.x + down[k] * at.y);
    return [0, 1, 2].map((k) => (perspective ? origin[k] + d[k] * depth : d[k] + forward[k] * depth)) as [
      number,
      number,
      number,
    ];
  }
}

/** Metres from a light to its aiming handle. */
const AIM = 0.8;
const CIRCLE = Array.from({ length: 33 }, (_, i) => (i / 32) * 2 * Math.PI);

/** Handles of a light; a sun has none, it is set on its dial. */
export function lightHandles(light: RigLight, space: PictureSpace): LightHandles {
  const result: LightHandles = { handles: [], outline: [] };
  if (light.kind === 'sun') return result;
  const add = (part: Handle['part'], p: readonly number[]): void => {
    const seen = space.project(p);
    if (seen) result.handles.push({ part, ...seen });
  };
  const draw = (points: number[][]): void => {
    const line = points.map((p) => space.project(p)?.at);
    if (line.every((p) => p !== undefined)) result.outline.push(line as Point[]);
  };
  const { position } = light;
  add('position', position);
  const m = placeMatrix({ position, direction: light.direction, rollDeg: light.rollDeg });
  const right = [m[0], m[1], m[2]];
  const top = [m[4], m[5], m[6]];
  const aim = unit(light.direction);
  const at = (u: number, v: number, w = 0): number[] =>
    position.map((c, k) => c + right[k] * u + top[k] * v + aim[k] * w);
  if (light.kind !== 'point') {
    add('aim', at(0, 0, AIM));
    draw([[...position], at(0, 0, AIM)]);
  }
  if (light.kind === 'area') {
    const [w, h] = faceSize(light).map((s) => s / 2);
    const round = light.shape === 'disc' || light.shape === 'ellipse';
    draw(
      round
        ? CIRCLE.map((a) => at(w * Math.cos(a), h * Math.sin(a)))
        : [at(-w, -h), at(w, -h), at(w, h), at(-w, h), at(-w, -h)],
    );
    add('size', at(w, round ? 0 : h));
  } else if (light.kind === 'spot') {
    const r = AIM * Math.tan((Math.min(80, light.outerConeDeg) * Math.PI) / 180);
    draw(CIRCLE.map((a) => at(r * Math.cos(a), r * Math.sin(a), AIM)));
    add('size', at(r, 0, AIM));
  } else {
    const r = Math.max(light.radius, 0.02);
    draw(CIRCLE.map((a) => at(r * Math.cos(a), 0, r * Math.sin(a))));
    draw(CIRCLE.map((a) => at(r * Math.cos(a), r * Math.sin(a))));
    add('size', at(r, 0));
  }
  return result;
}

/**
 * What a light becomes when one of its handles is dragged to a place of the picture.
 * @param along the hand moves along the view axis instead: up is farther, by a hundredth of the depth a pixel
 */
export function dragHandle(
  light: RigLight,
  handle: Handle,
  to: Point,
  space: PictureSpace,
  along = false,
): Partial<RigLight> {
  const depth = along ? Math.max(0.05, handle.depth * (1 + (handle.at.y - to.y) * 0.01)) : handle.depth;
  const p = space.unproject(along ? handle.at : to, depth);
  const round = (v: number): number => Number(v.toFixed(4));
  if (handle.part === 'position') return { position: p.map(round) as RigLight['position'], follows: null };
  const away = p.map((c, k) => c - light.position[k]);
  const length = Math.hypot(...away);
  if (handle.part === 'aim') {
    return length > 1e-6 ? { direction: unit(away).map(round) as RigLight['direction'], follows: null } : {};
  }
  const m = placeMatrix({ position: light.position, direction: light.direction, rollDeg: light.rollDeg });
  const u = Math.abs(away[0] * m[0] + away[1] * m[1] + away[2] * m[2]);
  const v = Math.abs(away[0] * m[4] + away[1] * m[5] + away[2] * m[6]);
  const clamp = (x: number, low: number, high: number): number => round(Math.min(high, Math.max(low, x)));
  if (light.kind === 'spot') return { outerConeDeg: clamp((Math.atan2(u, AIM) * 180) / Math.PI, 0.5, 89.5) };
  if (light.kind === 'point') return { radius: clamp(length, 0, 1000) };
  const oneSize = light.shape === 'square' || light.shape === 'disc';
  const width = clamp(u * 2, 0.001, 10000);
  if (oneSize || light.shape === 'ellipse') return { width };
  return { width, height: clamp(v * 2, 0.001, 10000) };
}
