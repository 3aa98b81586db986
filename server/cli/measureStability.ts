/** `daxel measure stability`: how much numbered frames flicker. */
import { readdirSync } from 'node:fs';
import { cpus } from 'node:os';
import { basename, dirname, join, resolve } from 'node:path';
import { BadInputError } from '@daxel/core/errors';
import { mainParts, type Blame } from '@daxel/core/measure/stability/blame';
import { SequenceMeter, type SequenceReport } from '@daxel/core/measure/stability/sequence';
import { frameDigits } from '@daxel/core/scene/shotTiming';
import { checkNumbers } from '@daxel/formats/image/numberedFrames';
import { atomicWrite } from '../store/atomicWrite';
import { readFrames } from './frameReader';
import { spawnRows } from './spawnRows';

export const STABILITY_USAGE = `daxel measure stability PATTERN [--pixels-per-degree N] [--report FILE.json]
  PATTERN                numbered .exr or .png frames: frames/f.####.exr; {layer} for a file a layer
  --pixels-per-degree N  of the viewer, 60 by default
  --report FILE          the figures as JSON
The motion layer of .exr frames is used when it is there (render with --layers beauty,motion,objectId);
with all layers of light and shadow it says which of them flickers.
1 is just noticed: flicker of half the frame rate and of a quarter of it, as the eye weighs it at 24 frames a second.`;

export async function measureStability(
  pattern: string,
  options: { report?: string; pixelsPerDegree?: number },
): Promise<void> {
  const frames = findFrames(pattern);
  const { pixelsPerDegree } = options;
  const meter = new SequenceMeter({ pixelsPerDegree, spawn: cpus().length > 1 ? spawnRows : undefined });
  let done = 0;
  for await (const image of readFrames(frames.map((f) => f.path))) {
    const { number } = frames[done++];
    meter.add(image, number);
    if (process.stderr.isTTY) process.stderr.write(`\rframe ${number} of ${frames[frames.length - 1].number}`);
  }
  if (process.stderr.isTTY) process.stderr.write('\r\x1b[K');
  const report = meter.report();
  process.stdout.write(inWords(report));
  if (options.report) await atomicWrite(resolve(options.report), `${JSON.stringify(report, null, 2)}\n`);
}

/** Frames that fit the pattern, in order. @throws BadInputError when there are none, or one is missing between them */
function findFrames(pattern: string): { number: number; path: string }[] {
  const name = basename(pattern);
  const hashes = /#+/.exec(name)?.[0];
  if (!hashes) throw new BadInputError(`${pattern}: put #### where the frame number stands, as in frames/f.####.exr`);
  const folder = dirname(resolve(pattern));
  const escape = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
  const [before, after] = name.replaceAll('{layer}', 'beauty').split(hashes);
  const fits = new RegExp(`^${escape(before)}(-?\\d{${hashes.length},})${escape(after)}$`);
  let files: string[];
  try {
    files = readdirSync(folder);
  } catch {
    throw new BadInputError(`${folder}: there is no such folder, or it cannot be read.`);
  }
  const numbers = files.flatMap((file) => {
    const digits = fits.exec(file)?.[1];
    // 00012 is not how 12 is written with four digits
    return digits && digits === frameDigits(Number(digits), hashes.length) ? [Number(digits)] : [];
  });
  if (numbers.length === 0) throw new BadInputError(`${pattern}: no file in ${folder} fits this name.`);
  numbers.sort((a, b) => a - b);
  checkNumbers(numbers, pattern);
  return numbers.map((number) => ({
    number,
    path: join(folder, name.replaceAll('{layer}', 'beauty').replace(hashes, frameDigits(number, hashes.length))),
  }));
}

const percent = (n: number): string => `${Number((n * 100).toPrecision(2))} %`;

function lightInWords(blame: Blame): string {
  const shares = mainParts(blame).map(({ part, share }) => `${part} ${percent(share)}`);
  return `Light that flickers: ${shares.join(', ')}; ${percent(blame.outlines)} of it on outlines.`;
}

function inWords(report: SequenceReport): string {
  const { index, peak, visible, certain, frames, kinds, blame, worst, stepping, notes } = report;
  const figure = (n: number): string => n.toFixed(2);
  const lines = [
    report.verdict.words,
    `${frames.length} frames measured. Flicker ${figure(index)} (median), ${figure(peak)} at most; 1 is just noticed.`,
    ...(report.movingLight >= 0.0005
      ? [
          `Light, shadows or things pass over ${percent(report.movingLight)} of the picture: that is not counted as flicker.`,
        ]
      : []),
    `Visible on ${percent(visible)} of the picture, certain on ${percent(certain)}.`,
  ];
  const shares = Object.entries(kinds).filter(([kind, share]) => kind !== 'light' && share >= 0.005);
  if (shares.length > 0) lines.push(`Kinds: ${shares.map(([kind, share]) => `${kind} ${percent(share)}`).join(', ')}.`);
  if (blame && blame.points > 0) lines.push(lightInWords(blame));
  for (const w of worst.slice(0, 3))
    lines.push(`Worst: ${figure(w.index)} in frame ${w.frame} at ${w.x}, ${w.y} (${w.width}×${w.height}).`);
  if (stepping)
    lines.push(
      `Stepping of motion blur: ${percent(stepping.contrast)} of the light in frame ${stepping.frame} at ${stepping.x}, ${stepping.y}, copies ${stepping.spacing.toFixed(1)} px apart.`,
    );
  for (const note of notes) lines.push(`note: ${note}`);
  return `${lines.join('\n')}\n`;
}
