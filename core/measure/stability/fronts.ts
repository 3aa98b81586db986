/**
 * Edges that pass: of shadows, of things, of what they uncover. A place over which one passes changes once, and the places
 * beside it a frame earlier or later; what flickers changes back and forth, or everywhere at once. So a change is told to
 * pass when it does not return more than once and travels: the like of it happens near by, elsewhere, in the frame before or
 * after. What travels is no flicker and is left out, point by point; what flickers beside it stays.
 */
import { contrastPerCandela, FAST_SENSITIVITY } from './flicker';
import { REGION, regionRect, regionsOf } from './regions';
import { cubicAt } from './sample';
import { BORDER, follow, WINDOW, type TrackedFrame } from './track';
import { PAIRS, TURNS, waysOf } from './turns';

/** A frame of the window with its luminance, cd/m². */
export interface FrontFrame extends TrackedFrame {
  raw: Float32Array;
}

/** Answers per pixel, in which what passes is blotted out. */
export interface FrontPlanes {
  fast: Float32Array;
  slow: Float32Array;
  /** The same if every vector were a little wrong in the better direction; null where there are no vectors. */
  sure: { fast: Float32Array; slow: Float32Array } | null;
  mean: Float32Array;
  valid: Float32Array;
}

/** What passes, a number a region. */
export interface Fronts {
  /** Points that were left out. */
  count: Float64Array;
  /** How visible they would be if it were flicker, about. */
  strength: Float64Array;
}

/** Side of a cell, pixels: one point of each is looked at. */
const CELL = 2;
const CELLS = REGION / CELL;
/** Around a region, regions: what passes comes from there. */
const ASIDE = 1;
const SIDE = (1 + 2 * ASIDE) * CELLS;
/** Half the side of the square in which a change may have travelled, cells. */
const TRAVEL = 12;
/** Visibility, by the point's own answer, below which nothing is looked for. */
const LOOKED_AT = 0.7;
/** Every so many cells are looked at first; when more of what they show than this returns, nothing passes. */
const SPARSE = 2;
const RESTLESS = 0.7;
/** A change below this share of a point's range is none, a range below this share of the strongest around is none. */
const SLIGHT = 0.2;
const FAINT = 0.05;
/** So much of a change has to happen again elsewhere, one frame off. */
const AGAIN = 0.1;
/**
 * Shares of what changes around that must pass, and that must do so for good: in the midst of the window and without coming
 * back, which is not known of what changes at its ends.
 */
const PASSING = 0.5;
const FOR_GOOD = 0.15;
/**
 * An edge takes its neighbours along, noise changes each place by itself: of the eight neighbours so many must change, and
 * such a share of them most the same way and at most one frame apart.
 */
const LEAST_COMPANY = 3;
const ALIKE = 0.6;
/** Around what passes, cells. */
const WIDER = 2;
/** So near, cells, to what something hides or leaves open: what changes once there is its doing. Not along the border. */
const BESIDE = 4;
const ALONG_BORDER = 12;
/** Points of a region that pass, below which it is not said what it shows. */
const LEAST_SAID = 48;

/** Finds what passes and takes it out of the planes. @param frames WINDOW of them */
export function takeOutFronts(
  frames: readonly FrontFrame[],
  planes: FrontPlanes,
  width: number,
  height: number,
): Fronts | null {
  const { regions } = regionsOf(width, height);
  const active: number[] = [];
  for (let n = 0; n < regions; n++) if (strengthOf(planes, n, width, height) > LOOKED_AT) active.push(n);
  if (active.length === 0) return null;
  const cells = new Cells(frames, width, height);
  const passing: { x: number; y: number }[] = [];
  for (const n of active) if (!restless(cells, n)) findIn(cells, n, passing);
  return passing.length > 0 ? blotOut(passing, planes, width, height) : null;
}

/** Largest visibility that an answer in a region may come to, by one point of each cell. */
function strengthOf({ fast, mean, valid }: FrontPlanes, region: number, width: number, height: number): number {
  const rect = regionRect(region, width, height);
  let most = 0;
  let sum = 0;
  let count = 0;
  for (let y = rect.y; y < rect.y + rect.height; y += CELL)
    for (let i = y * width + rect.x; i < y * width + rect.x + rect.width; i += CELL) {
      if (valid[i] === 0) continue;
      const answer = fast[i];
      if (answer > most) most = answer;
      else if (-answer > most) most = -answer;
      sum += mean[i];
      count++;
    }
  return count === 0 ? 0 : FAST_SENSITIVITY * most * contrastPerCandela(sum / count);
}

/** How points of the middle frame change through the window, worked out region by region as they are asked for. */
class Cells {
  readonly across: number;
  readonly down: number;
  /** Luminance between its least and its most, cd/m²; 0 where nothing was followed. */
  readonly range: Float32Array;
  /** See `waysOf`. */
  readonly ways: Uint8Array;
  /** Time of the largest of them, 1…4, below 0 when it darkens. */
  readonly peaks: Int8Array;
  /** 1 where a point is lost behind something, or mixed with it. */
  readonly lost: Uint8Array;
  private readonly known: Uint8Array;
  private readonly regionsAcross: number;
  private readonly still: boolean;
  private readonly at = new Float64Array(WINDOW * 2);
  private readonly s = new Float64Array(WINDOW);

  constructor(
    private readonly frames: readonly FrontFrame[],
    readonly width: number,
    readonly height: number,
  ) {
    this.across = Math.ceil(width / CELL);
    this.down = Math.ceil(height / CELL);
    this.range = new Float32Array(this.across * this.down);
    this.ways = new Uint8Array(this.range.length);
    this.peaks = new Int8Array(this.range.length);
    this.lost = new Uint8Array(this.range.length);
    const { across, regions } = regionsOf(width, height);
    this.regionsAcross = across;
    this.known = new Uint8Array(regions);
    this.still = frames.every((f) => !f.motion);
  }

  /** Cells of a region: its first one, and how far it reaches. */
  of(region: number): { x0: number; y0: number; x1: number; y1: number } {
    const x0 = (region % this.regionsAcross) * CELLS;
    const y0 = Math.floor(region / this.regionsAcross) * CELLS;
    return { x0, y0, x1: Math.min(this.across, x0 + CELLS), y1: Math.min(this.down, y0 + CELLS) };
  }

  /** Makes the cells of a region known. */
  know(column: number, row: number): void {
    const region = row * this.regionsAcross + column;
    if (column < 0 || row < 0 || column >= this.regionsAcross || region >= this.known.length) return;
    if (this.known[region] === 1) return;
    this.known[region] = 1;
    const { x0, y0, x1, y1 } = this.of(region);
    for (let y = y0; y < y1; y++) for (let x = x0; x < x1; x++) this.look(x, y);
  }

  look(cx: number, cy: number): void {
    const { frames, width, height, s, at } = this;
    const [x, y] = [cx * CELL, cy * CELL];
    const i = y * width + x;
    const n = cy * this.across + cx;
    if (this.still) {
      if (x < BORDER || y < BORDER || x > width - 1 - BORDER || y > height - 1 - BORDER) return;
      for (let k = 0; k < WINDOW; k++) s[k] = frames[k].raw[i];
    } else {
      // the first of its points that is not lost: along what moves every one counts
      let found = false;
      for (let p = 0; p < CELL * CELL && !found; p++)
        found = follow(frames, width, height, x + (p % CELL), y + Math.floor(p / CELL), at);
      if (!found) {
        const [right, down] = [this.across - ALONG_BORDER, this.down - ALONG_BORDER];
        if (cx > ALONG_BORDER && cy > ALONG_BORDER && cx < right && cy < down) this.lost[n] = 1;
        return;
      }
      for (let k = 0; k < WINDOW; k++) s[k] = cubicAt(frames[k].raw, width, at[k * 2], at[k * 2 + 1]);
    }
    let least = s[0];
    let most = s[0];
    for (let k = 1; k < WINDOW; k++) {
      if (s[k] < least) least = s[k];
      if (s[k] > most) most = s[k];
    }
    let [peak, largest] = [0, 0];
    for (let k = 0; k < PAIRS; k++) {
      const d = s[k + 1] - s[k];
      if (Math.abs(d) > largest) {
        largest = Math.abs(d);
        peak = d > 0 ? k + 1 : -k - 1;
      }
    }
    this.range[n] = most - least;
    this.ways[n] = waysOf(s, SLIGHT * (most - least));
    this.peaks[n] = peak;
  }
}

/** Points that change for good, by their ways. */
const ONCE = Uint8Array.from({ length: TURNS.length }, (_, ways) =>
  TURNS[ways] === 0 && ((ways >> 2) & 15) !== 0 ? 1 : 0,
);

/** Does most of what changes in a region change back and forth? Some of its points say. */
function restless(cells: Cells, region: number): boolean {
  const { x0, y0, x1, y1 } = cells.of(region);
  let [all, back] = [0, 0];
  for (let y = y0; y < y1; y += SPARSE)
    for (let x = x0; x < x1; x += SPARSE) {
      cells.look(x, y);
      const n = y * cells.across + x;
      const energy = cells.range[n] * cells.range[n];
      all += energy;
      if (TURNS[cells.ways[n]] > 1) back += energy;
    }
  return back > RESTLESS * all;
}

/** Sums over squares of a plane of SIDE cells a side, from sums over all that lies above and left (Crow 1984). */
class Squares {
  private readonly sums = new Float64Array((SIDE + 1) * (SIDE + 1));

  fill(value: (n: number) => number): void {
    const { sums } = this;
    const stride = SIDE + 1;
    for (let y = 0; y < SIDE; y++) {
      let row = 0;
      for (let x = 0; x < SIDE; x++) {
        row += value(y * SIDE + x);
        sums[(y + 1) * stride + x + 1] = sums[y * stride + x + 1] + row;
      }
    }
  }

  around(x: number, y: number): number {
    const stride = SIDE + 1;
    const [x0, x1] = [Math.max(0, x - TRAVEL), Math.min(SIDE, x + TRAVEL + 1)];
    const [y0, y1] = [Math.max(0, y - TRAVEL), Math.min(SIDE, y + TRAVEL + 1)];
    const { sums } = this;
    return sums[y1 * stride + x1] - sums[y0 * stride + x1] - sums[y1 * stride + x0] + sums[y0 * stride + x0];
  }
}

const squares = { here: new Squares(), before: new Squares(), after: new Squares() };
const votes = { all: new Squares(), passing: new Squares(), once: new Squares() };
const ranges = new Float32Array(SIDE * SIDE);
const ways = new Uint8Array(SIDE * SIDE);
const peaks = new Int8Array(SIDE * SIDE);
/** Per cell: 1 while each of its changes is found to travel. */
const travels = new Uint8Array(SIDE * SIDE);
const lost = new Uint8Array(SIDE * SIDE);
/** 1 where it changes once beside something that moves. */
const beside = new Uint8Array(SIDE * SIDE);

/** Adds the places of a region, pixels, over which something passes. */
function findIn(cells: Cells, region: number, out: { x: number; y: number }[]): void {
  const { x0, y0, x1, y1 } = cells.of(region);
  const [left, top] = [x0 - ASIDE * CELLS, y0 - ASIDE * CELLS];
  for (let j = -ASIDE; j <= ASIDE; j++)
    for (let i = -ASIDE; i <= ASIDE; i++) cells.know(x0 / CELLS + i, y0 / CELLS + j);
  let strongest = 0;
  for (let y = y0; y < y1; y++)
    for (let x = x0; x < x1; x++) strongest = Math.max(strongest, cells.range[y * cells.across + x]);
  for (let y = 0; y < SIDE; y++)
    for (let x = 0; x < SIDE; x++) {
      const [cx, cy] = [left + x, top + y];
      const n = y * SIDE + x;
      const inside = cx >= 0 && cy >= 0 && cx < cells.across && cy < cells.down;
      const range = inside ? cells.range[cy * cells.across + cx] : 0;
      const counts = range > FAINT * strongest;
      ranges[n] = counts ? range : 0;
      ways[n] = counts ? cells.ways[cy * cells.across + cx] : 0;
      peaks[n] = counts ? cells.peaks[cy * cells.across + cx] : 0;
      lost[n] = inside ? cells.lost[cy * cells.across + cx] : 0;
      travels[n] = beside[n] = 0;
    }
  for (let y = 1; y < SIDE - 1; y++)
    for (let x = 1; x < SIDE - 1; x++) {
      const n = y * SIDE + x;
      if (ranges[n] > 0 && TURNS[ways[n]] <= 1 && hasCompany(n)) travels[n] = 1;
      if (ranges[n] > 0 && TURNS[ways[n]] <= 1 && isBeside(x, y)) beside[n] = 1;
    }
  // of what changes at the ends of the window nothing is known before or after: it is judged when it is in the midst
  for (let k = 1; k < PAIRS - 1; k++) for (const way of [1, 2]) checkTravel(k, way);
  for (let n = 0; n < travels.length; n++) travels[n] |= beside[n];
  const weight = (n: number): number => ranges[n] * ranges[n];
  votes.all.fill(weight);
  votes.passing.fill((n) => (travels[n] === 1 ? weight(n) : 0));
  votes.once.fill((n) => (travels[n] === 1 && (ONCE[ways[n]] === 1 || beside[n] === 1) ? weight(n) : 0));
  for (let y = ASIDE * CELLS; y < ASIDE * CELLS + y1 - y0; y++)
    for (let x = ASIDE * CELLS; x < ASIDE * CELLS + x1 - x0; x++) {
      if (travels[y * SIDE + x] === 0) continue;
      const all = votes.all.around(x, y);
      if (votes.passing.around(x, y) < PASSING * all || votes.once.around(x, y) < FOR_GOOD * all) continue;
      out.push({ x: (left + x) * CELL, y: (top + y) * CELL });
    }
}

/** Is anything lost near by? */
function isBeside(x: number, y: number): boolean {
  for (let j = Math.max(0, y - BESIDE); j <= Math.min(SIDE - 1, y + BESIDE); j++)
    for (let i = Math.max(0, x - BESIDE); i <= Math.min(SIDE - 1, x + BESIDE); i++)
      if (lost[j * SIDE + i] === 1) return true;
  return false;
}

/** Do the cells around change likewise? */
function hasCompany(n: number): boolean {
  const peak = peaks[n];
  let [all, alike] = [0, 0];
  for (let j = -SIDE; j <= SIDE; j += SIDE)
    for (let i = -1; i <= 1; i++) {
      const other = peaks[n + j + i];
      if (other === 0 || (i === 0 && j === 0)) continue;
      all++;
      if (Math.abs(other - peak) <= 1 && other > 0 === peak > 0) alike++;
    }
  return all >= LEAST_COMPANY && alike >= ALIKE * all;
}

/** Takes out of `travels` the cells whose change at one time happens nowhere else a frame earlier or later. */
function checkTravel(k: number, way: number): void {
  const at = (n: number, pair: number): boolean => ((ways[n] >> (2 * pair)) & 3) === way;
  const elsewhere = (pair: number) => (n: number) => (at(n, pair) && !at(n, k) ? ranges[n] : 0);
  squares.here.fill((n) => (at(n, k) ? ranges[n] : 0));
  squares.before.fill(elsewhere(k - 1));
  squares.after.fill(elsewhere(k + 1));
  for (let n = 0; n < travels.length; n++) {
    if (travels[n] === 0 || !at(n, k)) continue;
    const [x, y] = [n % SIDE, Math.floor(n / SIDE)];
    const needed = AGAIN * squares.here.around(x, y);
    const found = squares.before.around(x, y) >= needed || squares.after.around(x, y) >= needed;
    if (!found) travels[n] = 0;
  }
}

function blotOut(
  places: readonly { x: number; y: number }[],
  { fast, slow, sure, mean, valid }: FrontPlanes,
  width: number,
  height: number,
): Fronts {
  const { across, regions } = regionsOf(width, height);
  const fronts: Fronts = { count: new Float64Array(regions), strength: new Float64Array(regions) };
  const aside = WIDER * CELL;
  for (const place of places)
    for (let y = Math.max(0, place.y - aside); y < Math.min(height, place.y + CELL + aside); y++)
      for (let x = Math.max(0, place.x - aside); x < Math.min(width, place.x + CELL + aside); x++) {
        const i = y * width + x;
        if (valid[i] === 0) continue;
        const n = Math.floor(y / REGION) * across + Math.floor(x / REGION);
        const strength = FAST_SENSITIVITY * Math.abs(fast[i]) * contrastPerCandela(mean[i]);
        fronts.count[n]++;
        if (strength > fronts.strength[n]) fronts.strength[n] = strength;
        valid[i] = fast[i] = slow[i] = 0;
        if (sure) sure.fast[i] = sure.slow[i] = 0;
      }
  // a few places say nothing of what a region shows
  fronts.count.forEach((count, n) => {
    if (count < LEAST_SAID) fronts.strength[n] = 0;
  });
  return fronts;
}
