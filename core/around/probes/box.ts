/** Boxes full of probes: how many stand in one, and where. */
import { BadInputError } from '../../errors';
import { longest, sizeOf, three, type Box, type Vec } from '../sceneBox';

/** Probes on a grid: the first half a step inside each side, the others a step apart. */
export interface ProbeBox extends Box {
  /** Probes along x, y, z. */
  counts: Vec;
  /** Metres from one to the next along x, y, z. */
  step: Vec;
  /** Number of its first probe. */
  first: number;
}

/** More than this are refused: a gigabyte of light, and hours to bake. */
export const MOST_PROBES = 100_000;
/** Probes that a scene gets of itself, about, at most. */
const PROPOSED = 1500;
/** A side shorter than this share of the spacing would have its probes in the surface itself. */
const FLAT = 0.25;

/**
 * Fills a box. What is flat is filled above and below.
 * @param spacing metres; the steps are the nearest that divide the box evenly @param first number of its first probe
 * @throws BadInputError where the box has no size, or there would be too many
 */
export function fillBox(box: Box, spacing: number, first: number): ProbeBox {
  if (!(spacing > 0) || !(longest(box) > 0))
    throw new BadInputError('The box of the probes has no size: nothing stands in it.');
  const half = three((c) => (sizeOf(box)[c] < FLAT * spacing ? spacing : sizeOf(box)[c] / 2));
  const middle = three((c) => (box.min[c] + box.max[c]) / 2);
  const counts = three((c) => Math.max(1, Math.round((2 * half[c]) / spacing)));
  const all = first + counts[0] * counts[1] * counts[2];
  if (!(all <= MOST_PROBES))
    throw new BadInputError(
      `A spacing of ${spacing} m asks for ${all.toLocaleString('en')} probes, and ${MOST_PROBES.toLocaleString('en')} are the most. Raise bounce.probeSpacing or bounce.fineSpacing, or make the fine box smaller.`,
    );
  return {
    min: three((c) => middle[c] - half[c]),
    max: three((c) => middle[c] + half[c]),
    counts,
    step: three((c) => (2 * half[c]) / counts[c]),
    first,
  };
}

export function probesIn({ counts }: ProbeBox): number {
  return counts[0] * counts[1] * counts[2];
}

/** Spacings that one would type, fine to coarse. */
const SPACINGS = [0.001, 0.01, 0.1, 1, 10, 100, 1000].flatMap((decade) =>
  [1, 1.2, 1.5, 2, 2.5, 3, 4, 5, 6, 8].map((s) => Number((s * decade).toPrecision(2))),
);

/** The finest of the usual spacings that fills a box with no more than about a thousand probes. */
export function proposeSpacing(box: Box): number {
  const size = sizeOf(box);
  const fits = (spacing: number): boolean => size.reduce((n, s) => n * Math.max(2, s / spacing), 1) <= PROPOSED;
  return SPACINGS.find(fits) ?? longest(box);
}
