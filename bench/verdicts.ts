/**
 * What is said of prepared frames of which it is known whether they flicker, by their vectors and from the pictures alone;
 * with `--page FILE` every case is listed.
 */
import {
  FLICKER_CASES,
  GROUNDS,
  reportOf,
  saysFlicker,
  type Ground,
  type Source,
} from '@daxel/core/testing/flickerCases';
import type { Bench, BenchRow } from './rows';

interface Told {
  name: string;
  expected: string;
  ground: Ground;
  source: Source;
  index: number;
  peak: number;
  coverage: number;
  words: string;
  right: boolean;
}

const SOURCES: readonly Source[] = ['layer', 'flow'];

function tellAll(): Told[] {
  return FLICKER_CASES.flatMap((c) =>
    GROUNDS.flatMap((ground) =>
      SOURCES.map((source): Told => {
        const report = reportOf(c, ground, source);
        const { index, peak, coverage, verdict } = report;
        const right = saysFlicker(report) === (c.expected === 'flickers');
        return {
          name: c.name,
          expected: c.expected,
          ground,
          source,
          index,
          peak,
          coverage,
          words: verdict.words,
          right,
        };
      }),
    ),
  );
}

/** The page that lists them. */
function verdictPage(told: readonly Told[]): string {
  const line = (t: Told): string =>
    `| ${t.name} | ${t.ground} | ${t.source} | ${t.index.toFixed(2)} | ${t.peak.toFixed(2)} | ${Math.floor(t.coverage * 100)} % | ${t.words}${t.right ? '' : ' **Wrong.**'} |`;
  const table = (expected: string): string[] => [
    '| frames | ground | vectors | index | peak | measured | what is said |',
    '| --- | --- | --- | --- | --- | --- | --- |',
    ...told.filter((t) => t.expected === expected).map(line),
  ];
  return [
    '# Flicker cases',
    '',
    'Prepared frames of which it is known whether they flicker, and what is said of them. Made by',
    '`./daxel bench verdicts --page docs/flicker-cases.md`; the tests hold the same cases (`core/testing/flickerCases.ts`).',
    '_layer_: by exact motion vectors and numbers of things; _flow_: from the pictures alone, as frames from outside are. Frames have',
    '192 × 144 pixels of 8 bits. Index and peak: 1 is just noticed.',
    '',
    '## These flicker',
    '',
    ...table('flickers'),
    '',
    '## These do not',
    '',
    'Wrong so far: without vectors fine texture on a thing that turns fast is not followed and seems to flicker, and balls that cross leave one frame',
    'above the line; a strong pulse of just 1.5 s in 8 bits comes to 1.02.',
    '',
    ...table('calm'),
    '',
  ].join('\n');
}

let last: Told[] = [];
/** The page of the run before, for whoever asked for one. */
export const lastPage = (): string => verdictPage(last);

export const verdicts: Bench = {
  name: 'verdicts',
  run() {
    last = tellAll();
    const rows = SOURCES.flatMap((source) =>
      ['flickers', 'calm'].map((expected): BenchRow => {
        const mine = last.filter((t) => t.source === source && t.expected === expected);
        const right = mine.filter((t) => t.right).length;
        const counts = { ours: right, theirs: mine.length, ratio: right / mine.length };
        return {
          bench: 'verdicts',
          case: `${expected}, by ${source}`,
          contender: 'all cases',
          ...counts,
          unit: 'right',
        };
      }),
    );
    return Promise.resolve(rows);
  },
};
