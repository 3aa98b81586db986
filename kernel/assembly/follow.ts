/**
 * Following the points of a frame through the two frames before and after it, and what their light does there. See
 * core/measure/stability/track for what is meant.
 */
import { calmAnswer, followFour, quickAnswer, setFours } from './followFour';
import { followPoint } from './followPoint';
import { BORDER, height, raw0, raw1, raw2, raw3, raw4, setAnswers, width } from './window';

/**
 * Follows the points of some rows and writes what the two temporal filters answer, cd/m², where they are not lost.
 * @param from, to rows: the first, and the first that is no more followed
 * @param quick, calm answers, 0 before @param mean of the five frames @param valid 1 where it was followed, 0 before
 * @param sureQuick, sureCalm answers if each vector were wrong by `DOUBT` in the better direction, 0 before
 */
export function followRows(
  from: i32,
  to: i32,
  quick: usize,
  calm: usize,
  mean: usize,
  valid: usize,
  sureQuick: usize,
  sureCalm: usize,
): void {
  const begin = max(BORDER, from);
  const end = min(height - BORDER, to);
  const last = width - BORDER;
  setFours();
  setAnswers(quick, calm, mean, valid, sureQuick, sureCalm);
  for (let y = begin; y < end; y++)
    for (let next = BORDER; next < last; next += 4) {
      // the last four of a row may hold some of those before
      const x = min(next, last - 4);
      if (followFour(x, y)) continue;
      for (let i = x; i < x + 4; i++) followPoint(i, y);
    }
}

/** As `followRows` where no frame of the window moves: every point stays where it is, and no vector can be wrong. */
export function stayRows(from: i32, to: i32, quick: usize, calm: usize, mean: usize, valid: usize): void {
  const begin = max(BORDER, from);
  const end = min(height - BORDER, to);
  const last = width - BORDER;
  for (let y = begin; y < end; y++)
    for (let next = BORDER; next < last; next += 4) {
      const at = <usize>(y * width + min(next, last - 4)) << 2;
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
