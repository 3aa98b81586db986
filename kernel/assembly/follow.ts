/**
 * Following the points of a frame through the two frames before and after it, and what their light does there. See
 * core/measure/stability/track for what is meant.
 */
import { calmAnswer, followSpans, quickAnswer, setFours } from './followFour';
import {
  bindWindow,
  BORDER,
  calm,
  height,
  mean,
  quick,
  raw0,
  raw1,
  raw2,
  raw3,
  raw4,
  row,
  setAnswers,
  sureCalm,
  sureQuick,
  valid,
  width,
} from './window';

/** Before the points of a row are followed: nothing is known of them but the frame's own light. */
function clearRow(y: i32, seen: usize): void {
  const at = <usize>y * row;
  memory.copy(mean + at, seen + at, row);
  memory.fill(quick + at, 0, row);
  memory.fill(calm + at, 0, row);
  memory.fill(valid + at, 0, row);
  memory.fill(sureQuick + at, 0, row);
  memory.fill(sureCalm + at, 0, row);
}

/**
 * Follows the points of some rows and writes what the two temporal filters answer, cd/m², where they are not lost.
 * @param table see `bindWindow`
 * @param from, to rows: the first, and the first that is no more followed
 * @param seen light of the frame in the middle
 * @param quick_, calm_ answers, else 0 @param mean_ of the five frames, else `seen` @param valid_ 1 where it was followed, else 0
 * @param sureQuick_, sureCalm_ answers if each vector were wrong by `DOUBT` in the better direction, else 0
 * @param span numbers to work in, see `followSpans`; 0 where no frame of the window moves
 */
export function followRows(
  table: usize,
  w: i32,
  h: i32,
  from: i32,
  to: i32,
  seen: usize,
  quick_: usize,
  calm_: usize,
  mean_: usize,
  valid_: usize,
  sureQuick_: usize,
  sureCalm_: usize,
  span: usize,
): void {
  bindWindow(table, w, h);
  setFours();
  setAnswers(quick_, calm_, mean_, valid_, sureQuick_, sureCalm_);
  const last = width - BORDER;
  for (let y = from; y < to; y++) {
    clearRow(y, seen);
    if (y < BORDER || y >= height - BORDER) continue;
    if (span === 0) stayRow(y, last);
    else followSpans(y, BORDER, last, span);
  }
}

/** Every point of a row stays where it is, and no vector can be wrong. @param last the first that is not followed */
function stayRow(y: i32, last: i32): void {
  for (let next = BORDER; next < last; next += 4) {
    // the last four of a row may hold some of those before
    const at = (<usize>(y * width + min(next, last - 4))) << 2;
    const s0 = v128.load(raw0 + at);
    const s1 = v128.load(raw1 + at);
    const s2 = v128.load(raw2 + at);
    const s3 = v128.load(raw3 + at);
    const s4 = v128.load(raw4 + at);
    const sum = f32x4.add(f32x4.add(f32x4.add(s0, s4), f32x4.add(s1, s3)), s2);
    v128.store(valid + at, f32x4.splat(1));
    v128.store(mean + at, f32x4.mul(sum, f32x4.splat(0.2)));
    v128.store(quick + at, quickAnswer(s0, s1, s2, s3, s4));
    v128.store(calm + at, calmAnswer(s0, s2, s4));
  }
}
