/** Chart `fine-lines`: a zone plate, gratings that narrow, and a fan of spokes: what too few pixel samples make of them. */
import type { SceneSource } from '@daxel/core/scene/source';
import { Mesh } from '../shapes/mesh';
import { startChart } from './card';
import { letter } from './lettering';

const RINGS = 20;
const RING_SEGMENTS = 72;
const SPOKES = 72;

export function buildFineLines(): SceneSource {
  const { kit, card, ink } = startChart('fine-lines', 300, 'felt');
  const sheet = new Mesh();
  rectangle(sheet, -4, -2.2, 8, 4.4, 0);
  kit.object('card', sheet, card);
  const paper = new Mesh();
  rectangle(paper, -1.78, -0.82, 3.56, 1.64, 0.001);
  const pale = kit.material('paper', { baseColor: [0.74, 0.7, 0.62, 1], roughness: 0.95, specular: 0.2 });
  kit.object('paper', paper, pale);
  const lines = new Mesh();
  zonePlate(lines, -1.02, 0, 0.66);
  gratings(lines, -0.18, -0.68);
  spokes(lines, 1.16, 0.06, 0.56);
  letter(lines, 'fine lines', [-1.72, 0.71, 0.002], [1, 0, 0], [0, 1, 0], 0.065);
  kit.object('lines', lines, ink);
  kit.shot('fine-lines', [0.05, 0.02, 3.05], [0, 0, 0], 30, [0, 0]);
  return kit.scene;
}

function rectangle(mesh: Mesh, x: number, y: number, width: number, height: number, z: number): void {
  mesh.quad([
    [x, y, z],
    [x + width, y, z],
    [x + width, y + height, z],
    [x, y + height, z],
  ]);
}

/** Fresnel's zone plate: ring k lies between radii √(2k−1) and √(2k), so that the rings become finer outwards. */
function zonePlate(mesh: Mesh, cx: number, cy: number, radius: number): void {
  const unit = radius / Math.sqrt(2 * RINGS);
  for (let k = 1; k <= RINGS; k++) {
    const inner = unit * Math.sqrt(2 * k - 1);
    const outer = unit * Math.sqrt(2 * k);
    mesh.grid(RING_SEGMENTS, 1, (s, t) => {
      const a = s * Math.PI * 2;
      const r = t === 0 ? outer : inner;
      return { p: [cx + Math.sin(a) * r, cy + Math.cos(a) * r, 0.002], n: [0, 0, 1] };
    });
  }
}

/** Rows of upright lines, each row narrower by the square root of two, slightly tilted so that steps show. */
function gratings(mesh: Mesh, x0: number, y0: number): void {
  let pitch = 0.052;
  for (let row = 0; row < 7; row++) {
    const y = y0 + row * 0.19;
    const count = Math.min(40, Math.floor(0.56 / pitch));
    for (let i = 0; i < count; i++) {
      const x = x0 + i * pitch;
      const lean = 0.012;
      mesh.quad([
        [x, y, 0.002],
        [x + pitch / 2, y, 0.002],
        [x + pitch / 2 + lean, y + 0.16, 0.002],
        [x + lean, y + 0.16, 0.002],
      ]);
    }
    pitch /= Math.SQRT2;
  }
}

/** Siemens star. */
function spokes(mesh: Mesh, cx: number, cy: number, radius: number): void {
  for (let i = 0; i < SPOKES; i++) {
    const a = (i / SPOKES) * Math.PI * 2;
    const b = a + Math.PI / SPOKES;
    const at = (angle: number, r: number): number[] => [cx + Math.cos(angle) * r, cy + Math.sin(angle) * r, 0.002];
    mesh.quad([at(a, 0.03), at(a, radius), at(b, radius), at(b, 0.03)]);
  }
}
