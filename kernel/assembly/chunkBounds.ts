/** Where the triangles of a chunk lie. Twin: core/raster/chunkBounds. */
import { all, three } from './four';

/**
 * @param first, end numbers of the chunk's triangles
 * @param box six floats of the chunk's own @param vertices two whole numbers of its own
 */
export function measureChunk(
  positions: usize,
  triangles: usize,
  first: i32,
  end: i32,
  box: usize,
  vertices: usize,
): void {
  let low = all(Infinity);
  let high = all(-Infinity);
  let least: u32 = u32.MAX_VALUE;
  let most: u32 = 0;
  const last = triangles + <usize>end * 12;
  for (let at = triangles + <usize>first * 12; at < last; at += 4) {
    const v = load<u32>(at);
    least = min<u32>(least, v);
    most = max<u32>(most, v);
    const place = three(positions + <usize>v * 12);
    low = f32x4.pmin(low, place);
    high = f32x4.pmax(high, place);
  }
  v128.store64_lane(box, low, 0);
  v128.store32_lane(box, low, 2, 8);
  v128.store64_lane(box, high, 0, 12);
  v128.store32_lane(box, high, 2, 20);
  store<u32>(vertices, least);
  store<u32>(vertices, most + 1, 4);
}
