/**
 * How the ray structure lies in memory, for whoever builds it and whoever goes through it: four children a node and
 * triangles in packets of four, so that four can be tested at once.
 *
 *   nodes     32 words a node: the lower x of its four children, their lower y, lower z, upper x, upper y, upper z; then
 *             four links as integers: ≥ 0 another node, < 0 the leaf ~(first packet · 8 + packets − 1); four words free.
 *             A child that is not there has a box from +∞ to −∞. Node 0 is the root and always exists.
 *   packets   36 numbers a packet: x of the first corners of its four triangles, their y, z; the same of the second and
 *             third corners, world space. Triangles that fill up a packet have corners that are not numbers.
 *   order     triangle number per place; place 4 · p + l is lane l of packet p
 *   materials material per place
 */
export interface BvhArrays {
  bvhNodes: Float32Array;
  /** The same memory as `bvhNodes`. */
  bvhLinks: Int32Array;
  bvhPackets: Float32Array;
  bvhOrder: Uint32Array;
  bvhMaterials: Uint32Array;
}

export const NODE_WORDS = 32;
export const PACKET_WORDS = 36;
export const LINK_WORDS = 24;

/** Packets that so many triangles need at most: no leaf but a lone one has less than two triangles. */
export function packetLimit(triangles: number): number {
  return Math.max(1, triangles >> 1);
}
/** Nodes that so many triangles need at most. */
export function nodeLimit(triangles: number): number {
  return packetLimit(triangles);
}

export function bvhOf(memory: Omit<BvhArrays, 'bvhLinks'>): BvhArrays {
  const { bvhNodes, bvhPackets, bvhOrder, bvhMaterials } = memory;
  const bvhLinks = new Int32Array(bvhNodes.buffer, bvhNodes.byteOffset, bvhNodes.length);
  return { bvhNodes, bvhLinks, bvhPackets, bvhOrder, bvhMaterials };
}

/** Arrays of their own for so many triangles: for tests and benchmarks. */
export function allocateBvh(triangles: number): BvhArrays {
  const places = packetLimit(triangles) * 4;
  return bvhOf({
    bvhNodes: new Float32Array(nodeLimit(triangles) * NODE_WORDS),
    bvhPackets: new Float32Array(packetLimit(triangles) * PACKET_WORDS),
    bvhOrder: new Uint32Array(places),
    bvhMaterials: new Uint32Array(places),
  });
}

/** Index of the first corner's x of the triangle at a place; its other numbers follow at steps of four. */
export function cornersAt(place: number): number {
  return (place >> 2) * PACKET_WORDS + (place & 3);
}

/** Does a ray of this direction meet the front of the triangle at a place: its corners run counter-clockwise? */
export function seesFront({ bvhPackets: P }: BvhArrays, place: number, dx: number, dy: number, dz: number): boolean {
  const p = cornersAt(place);
  const ux = P[p + 12] - P[p];
  const uy = P[p + 16] - P[p + 4];
  const uz = P[p + 20] - P[p + 8];
  const vx = P[p + 24] - P[p];
  const vy = P[p + 28] - P[p + 4];
  const vz = P[p + 32] - P[p + 8];
  return dx * (uy * vz - uz * vy) + dy * (uz * vx - ux * vz) + dz * (ux * vy - uy * vx) < 0;
}
