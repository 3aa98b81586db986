/**
 * Moves probes out of walls, and off those that they stand too close to (after Majercik, Marrs, Spjut, McGuire 2021,
 * Scaling Probe-Based Real-Time Dynamic Global Illumination for Production).
 */
import { squareToSphere } from '../../math/octahedron';
import type { ShadowRays } from '../../trace/traceShadow';
import { lookAlong } from '../lookAlong';
import type { Vec } from '../sceneBox';
import { PROBE_BURIED, PROBE_FREE, PROBE_MOVED } from './probeState';

/** Rays along a side of the square that is looked over. */
const SIDE = 8;
/** It is inside something when more than this share of what it sees are backs. */
const MOST_BACKS = 0.25;
/** Shares of the spacing: how close a wall may be, how far it may go, how far it goes beyond a wall. */
const CLOSE = 0.12;
const FARTHEST = 0.45;
const BEYOND = 0.1;
const TRIES = 6;

const way = new Float64Array(3);
const nearestBack = new Float64Array(3);
const nearestFront = new Float64Array(3);

/**
 * @param p where the grid has it; what it comes to stand at is written there @param step of the grid, metres
 * @returns PROBE_*
 */
export function standFree(rays: ShadowRays, p: Float64Array, step: Vec): number {
  const home = [p[0], p[1], p[2]];
  const least = Math.min(...step);
  for (let tries = 0; ; tries++) {
    let [backs, back, front] = [0, Infinity, Infinity];
    for (let k = 0; k < SIDE * SIDE; k++) {
      squareToSphere(((k % SIDE) + 0.5) / SIDE, (Math.floor(k / SIDE) + 0.5) / SIDE, way);
      const seen = lookAlong(rays, p[0], p[1], p[2], way);
      if (seen.back) backs++;
      if (seen.back && seen.distance < back) {
        back = seen.distance;
        nearestBack.set(way);
      }
      if (!seen.back && seen.distance < front) {
        front = seen.distance;
        nearestFront.set(way);
      }
    }
    const inside = backs > MOST_BACKS * SIDE * SIDE;
    const close = front < CLOSE * least;
    const moved = tries > 0 ? PROBE_MOVED : PROBE_FREE;
    if (!inside && (!close || tries === TRIES)) return moved;
    if (tries === TRIES) break;
    const by = inside ? back + BEYOND * least : front - CLOSE * 1.5 * least;
    const along = inside ? nearestBack : nearestFront;
    // as far as its own part of the grid reaches, so that places between probes stay between them
    for (let c = 0; c < 3; c++) {
      const most = FARTHEST * step[c];
      p[c] = home[c] + Math.max(-most, Math.min(most, p[c] + along[c] * by - home[c]));
    }
  }
  for (let c = 0; c < 3; c++) p[c] = home[c];
  return PROBE_BURIED;
}
