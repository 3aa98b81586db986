/** Files that are the frames of one sequence, told by the numbers in their names. */
import { BadInputError } from '@daxel/core/errors';

export interface NumberedFile {
  number: number;
  name: string;
}
export interface NumberedFrames {
  /** Their common name, with a row of # for the number. @example shot.####.exr */
  pattern: string;
  /** In order, without a gap. */
  frames: NumberedFile[];
}

/**
 * The number is the last row of digits before the ending; a dash before it that follows no letter or digit is its sign.
 * @param names of picture files, in any order; others must have been left out
 * @throws BadInputError when there are none, they belong to several sequences, or one is missing between them
 */
export function numberedFrames(names: readonly string[]): NumberedFrames {
  if (names.length === 0) throw new BadInputError('There is no .exr or .png file among these.');
  const groups = new Map<string, NumberedFile[]>();
  for (const name of names) {
    const found = /^(.*?)((?:(?<![\p{L}\p{N}])-)?\d+)(\D*\.[^.]+)$/u.exec(name);
    if (!found) throw new BadInputError(`${name}: the name has no frame number.`);
    const [, before, digits, after] = found;
    // frames above 9999 have a digit more than those below, and belong to them all the same
    const key = `${before}\n${after}`;
    groups.set(key, [...(groups.get(key) ?? []), { number: Number(digits), name }]);
  }
  if (groups.size > 1) {
    const [a, b] = [...groups.values()].map((g) => g[0].name);
    throw new BadInputError(`${a} and ${b} belong to different sequences: choose the frames of one.`);
  }
  const [[key, frames]] = [...groups];
  frames.sort((a, b) => a.number - b.number);
  const [before, after] = key.split('\n');
  const least = Math.min(...frames.map((f) => f.name.length - (f.number < 0 ? 1 : 0)));
  const digits = least - before.length - after.length;
  const pattern = `${before}${'#'.repeat(digits)}${after}`;
  checkNumbers(
    frames.map((f) => f.number),
    pattern,
  );
  return { pattern, frames };
}

/** @param numbers in order @throws BadInputError when one is missing between them, or there twice */
export function checkNumbers(numbers: readonly number[], pattern: string): void {
  const gap = numbers.findIndex((n, i) => i > 0 && n !== numbers[i - 1] + 1);
  if (gap < 1) return;
  const [before, after] = [numbers[gap - 1], numbers[gap]];
  if (before === after) throw new BadInputError(`${pattern}: frame ${after} is there twice.`);
  throw new BadInputError(
    `${pattern}: frame ${before + 1} is missing between ${before} and ${after}. Render it, or measure the parts apart.`,
  );
}
