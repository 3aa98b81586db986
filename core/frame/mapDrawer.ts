/** Draws the shadow maps of a frame, and of each only the tiles that its picture may ask. */
import { countBinned, type BinTarget } from '../raster/binTriangles';
import type { CoverageKernel } from '../raster/coverageKernel';
import type { CompiledScene } from '../scene/compiled';
import { askedTiles, type Seen } from '../shadows/askedTiles';
import { blurMomentsTile } from '../shadows/moments';
import type { ShadowReading } from '../shadows/shadowAt';
import { drawShadowTile, mapTilesAcross, SHADOW_TILE_SHIFT } from '../shadows/shadowMap';
import type { ShadowView } from '../light/shadowView';
import { casterRule } from './materialRules';
import type { Sorting } from './rasterizer';
import type { ShadowViews } from './stages/shadowMaps';
import type { Team } from './team';

export interface MapDrawerInput {
  scene: CompiledScene;
  shadows: ShadowViews;
  /** Transformed corners, shared with the picture. */
  clip: Float32Array;
  /** CAST_* per material. */
  casts: Uint8Array;
  chunks: number;
  coverage: CoverageKernel | null;
  team: Team;
  binsFor: (width: number, height: number, tileShift: number) => BinTarget;
  /** Sorts all triangles that may lie in some tiles of a map into these, all threads together. @returns false when cancelled */
  sortInto: (into: Pick<Sorting, 'target' | 'wanted' | 'matrix' | 'faces'>) => boolean;
  /** Books the time that an item takes. */
  timed: (run: (item: number) => void) => (item: number) => void;
}

/**
 * Draws what a map lacks.
 * @param seen what the picture shows, or null where that says nothing of what it asks
 * @param stands what is drawn of the map already is still right
 * @returns false when cancelled
 */
export type DrawMap = (view: ShadowView, reading: ShadowReading, seen: Seen | null, stands: boolean) => boolean;

export function createMapDrawer(input: MapDrawerInput): DrawMap {
  const { scene, shadows, clip, casts, chunks, coverage, team, timed } = input;
  const rule = casterRule(casts);
  return (view, reading, seen, stands) => {
    const count = mapTilesAcross(view.resolution) ** 2;
    const drawn = shadows.shadowTiles.subarray(view.tileOffset, view.tileOffset + count);
    if (stands && drawn.every((d) => d === 1)) return true;
    const asked = seen ? askedTiles(seen, view, reading) : new Uint8Array(count).fill(1);
    let wanted = numbersOf(asked, (a) => a === 1);
    if (stands) {
      if (wanted.every((t) => drawn[t] === 1)) return true;
      // who looks elsewhere once will do so again: the next time nothing is left to draw
      wanted = numbersOf(drawn, (d) => d === 0);
    }
    // nobody looks at what is drawn of a map that is drawn anew
    if (!stands && team.leads) drawn.fill(0);
    if (wanted.length === 0) return true;
    const target = input.binsFor(view.resolution, view.resolution, SHADOW_TILE_SHIFT);
    // all threads have looked at what is drawn before any of them comes to the end of this
    if (!input.sortInto({ target, wanted, matrix: view.matrix, faces: rule })) return false;
    // the fullest first, so that no thread begins a long one when the others are done
    const loads = wanted.map((t) => ({ t, load: countBinned(target, chunks, t) })).sort((a, b) => b.load - a.load);
    const draw = timed((k) => {
      const { t } = loads[k];
      drawShadowTile(scene, clip, target, chunks, t, view, casts, shadows, coverage);
      drawn[t] = 1;
    });
    const blur = timed((t) => blurMomentsTile(shadows, view, t, reading.radius));
    return team.share(loads.length, draw) && (reading.filter !== 'moment' || team.share(count, blur));
  };
}

/** Numbers of the items that are so. */
function numbersOf(items: Uint8Array, so: (item: number) => boolean): number[] {
  return Array.from(items.keys()).filter((i) => so(items[i]));
}
