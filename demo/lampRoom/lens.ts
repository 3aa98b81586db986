/** The rotating lens: six panels of prism rings in brass frames about a lamp. */
import { Mesh } from '../shapes/mesh';
import { arc, box, sweep, tube, turned, turnedShape, WORLD, type Frame } from '../shapes/solids';

export const LENS_HEIGHT = 1.62;
const PANELS = 6;
const RADIUS = 0.56;
const HALF_HEIGHT = 0.65;
const HALF_WIDTH = RADIUS * Math.tan(Math.PI / PANELS);
const POST_RADIUS = RADIUS / Math.cos(Math.PI / PANELS);

export function buildLens(): { glass: Mesh; brass: Mesh } {
  const glass = new Mesh();
  const brass = new Mesh();
  for (let k = 0; k < PANELS; k++) {
    const f = turned((k / PANELS) * 2 * Math.PI, RADIUS, LENS_HEIGHT);
    bullsEye(glass, f);
    rings(glass, f);
    panelFrame(brass, f);
    cornerPost(brass, turned(((k + 0.5) / PANELS) * 2 * Math.PI, POST_RADIUS, LENS_HEIGHT));
  }
  for (const side of [1, -1]) rim(brass, side);
  finial(brass);
  return { glass, brass };
}

/** A frame whose `up` is another's outward direction: turned shapes then stand on the panel. */
function standingOn(f: Frame, origin: ArrayLike<number> = f.origin): Frame {
  return { origin, right: f.right, up: f.out, out: [-f.up[0], -f.up[1], -f.up[2]] };
}

/** The middle lens of a panel: a cap of a sphere outside, flat inside. */
function bullsEye(mesh: Mesh, f: Frame): void {
  const radius = 0.075;
  const rise = 0.028;
  const profile: [number, number][] = [];
  for (let i = 0; i <= 8; i++) {
    const r = (radius * i) / 8;
    profile.push([Math.max(1e-4, r), rise * (1 - (r / radius) ** 2)]);
  }
  profile.push([radius, 0], [radius, -0.012], [radius, -0.012], [1e-4, -0.012]);
  turnedShape(mesh, standingOn(f), profile, 40);
}

/** Full rings as far as they fit, then arcs that the panel's sides cut off. */
function rings(mesh: Mesh, f: Frame): void {
  const step = 0.042;
  const side = HALF_WIDTH - 0.028;
  const top = HALF_HEIGHT - 0.03;
  for (let i = 0; ; i++) {
    const inner = 0.082 + i * step;
    const outer = inner + step * 0.86;
    if (outer > top) break;
    const lean = Math.min(0.03, 0.01 + i * 0.004);
    const section: [number, number][] = [
      [inner, -0.012],
      [outer, -0.012],
      [outer, 0.006],
      [inner + 0.002, 0.006 + lean],
    ];
    if (outer < side) {
      sweep(mesh, f, section, { from: 0, to: 2 * Math.PI, steps: 44, closed: true });
      continue;
    }
    const cut = Math.acos(side / outer) + 0.008;
    for (const from of [cut, cut - Math.PI])
      sweep(mesh, f, section, { from, to: from + Math.PI - 2 * cut, steps: 18, closed: false });
  }
}

function panelFrame(mesh: Mesh, f: Frame): void {
  for (const side of [1, -1]) box(mesh, f, [0, side * (HALF_HEIGHT - 0.012), 0], [HALF_WIDTH * 2, 0.024, 0.045], 0.004);
  tube(mesh, arc(f, 0.0785, 0, 2 * Math.PI, 48, 0.004), 0.0035, 6);
}

function cornerPost(mesh: Mesh, f: Frame): void {
  box(mesh, f, [0, 0, -0.012], [0.03, HALF_HEIGHT * 2, 0.03], 0.006);
  for (const y of [-0.45, 0, 0.45]) {
    const at = [0, 1, 2].map((c) => f.origin[c] + f.up[c] * y + f.out[c] * 0.003);
    const bolt: [number, number][] = [
      [1e-4, 0.008],
      [0.006, 0.007],
      [0.009, 0.003],
      [0.009, 0],
    ];
    turnedShape(mesh, standingOn(f, at), bolt, 10);
  }
}

/** The ring above and below the panels. */
function rim(mesh: Mesh, side: number): void {
  const r = POST_RADIUS + 0.01;
  const h = 0.035;
  const profile: [number, number][] = [
    [r - 0.12, h * 0.4],
    [r - 0.02, h * 0.4],
    [r, h * 0.2],
    [r, h * 0.2],
    [r, -h * 0.2],
    [r, -h * 0.2],
    [r - 0.02, -h * 0.4],
    [r - 0.12, -h * 0.4],
    [r - 0.12, -h * 0.4],
    [r - 0.12, h * 0.4],
  ];
  turnedShape(mesh, { ...WORLD, origin: [0, LENS_HEIGHT + side * (HALF_HEIGHT + 0.015), 0] }, profile, 72);
}

function finial(mesh: Mesh): void {
  const profile: [number, number][] = [
    [1e-4, 0.42],
    [0.018, 0.41],
    [0.03, 0.37],
    [0.02, 0.33],
    [0.02, 0.3],
    [0.06, 0.27],
    [0.07, 0.25],
    [0.16, 0.2],
    [0.34, 0.12],
    [0.5, 0.05],
    [0.6, 0.012],
    [0.6, 0.012],
    [0.6, 0],
    [0.6, 0],
    [0.3, 0.02],
    [1e-4, 0.03],
  ];
  turnedShape(mesh, { ...WORLD, origin: [0, LENS_HEIGHT + HALF_HEIGHT + 0.03, 0] }, profile, 56);
}
