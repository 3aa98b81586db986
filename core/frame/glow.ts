/** Scales the glow of a scene's materials: all loops read it in one place, so it is written there, between frames. */
import type { CompiledScene } from '../scene/compiled';
import { M_EMISSIVE_R, MATERIAL_STRIDE } from '../scene/materialTable';

export class Glow {
  private now = 1;
  /** What each material sends out by itself, rgb, nit. */
  private readonly own: Float32Array;

  /** @param scene in memory that all threads read, and that no frame is drawn of while it is scaled */
  constructor(private readonly scene: CompiledScene) {
    const { materials } = scene;
    this.own = new Float32Array((materials.length / MATERIAL_STRIDE) * 3);
    this.own.forEach((_, i) => (this.own[i] = materials[placeOf(i)]));
  }

  /** @param by 1 for the scene as it is, 0 for none */
  scale(by: number): void {
    if (by === this.now) return;
    this.own.forEach((value, i) => (this.scene.materials[placeOf(i)] = value * by));
    this.now = by;
  }
}

/** Where a colour's part stands in the table of materials. */
function placeOf(i: number): number {
  return Math.floor(i / 3) * MATERIAL_STRIDE + M_EMISSIVE_R + (i % 3);
}
