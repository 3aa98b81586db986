/** What is random in a shot: how much of it, and which of its courses is taken. */
import { z } from 'zod';

const finite = z.number();

export const shakeBand = z.strictObject({
  /** Standard deviation of pitch and of yaw, degrees; roll is half of it. */
  angleDeg: finite.min(0).max(45),
  /** Standard deviation of the way to the side and up, metres; along the view half of it. */
  shift: finite.min(0).max(10),
  /** Middle of the band, which is an octave wide. */
  hertz: finite.min(0.01).max(60),
});
export type ShakeBand = z.infer<typeof shakeBand>;

const takeNumber = z
  .int()
  .min(0)
  .max(2 ** 31 - 1);
export const MOST_KEYS = 8192;
/** Pitch, yaw, roll (radians) and x, y, z (metres) at equal steps of time. */
export const shakeKeys = z.strictObject({
  /** Of the first key, seconds. */
  start: finite.min(-1e6).max(1e6),
  perSecond: finite.min(0.1).max(10_000),
  /** Six numbers a key. */
  values: z
    .array(finite.min(-1e3).max(1e3))
    .min(6)
    .max(6 * MOST_KEYS)
    .refine((v) => v.length % 6 === 0, 'six numbers make a key'),
  /** The noise that they were taken from: it says what is between them, and beyond them, to the bit. Absent for keys from elsewhere. */
  of: z.strictObject({ number: takeNumber, large: shakeBand, small: shakeBand }).optional(),
});
export type ShakeKeys = z.infer<typeof shakeKeys>;

export const shotTake = z.strictObject({
  /** Any whole number: another one is another course of everything that is random. */
  number: takeNumber,
  large: shakeBand,
  small: shakeBand,
  /** A course that was frozen to keys stands instead of the noise. */
  keys: shakeKeys.nullable().default(null),
});
export type ShotTake = z.infer<typeof shotTake>;

/** Of a shot in which nothing is random. */
export const STILL_TAKE: ShotTake = {
  number: 1,
  large: { angleDeg: 0, shift: 0, hertz: 0.5 },
  small: { angleDeg: 0, shift: 0, hertz: 5 },
  keys: null,
};
