/** What a benchmark gives: one row a comparison, `ratio` above 1 means Daxel is better. */
export interface BenchRow {
  bench: string;
  case: string;
  contender: string;
  ours: number;
  theirs: number;
  ratio: number;
  unit: string;
}

export interface Bench {
  name: string;
  run(): Promise<BenchRow[]>;
}

/** A row where less is better. */
export function row(
  bench: string,
  what: string,
  contender: string,
  ours: number,
  theirs: number,
  unit: string,
): BenchRow {
  return { bench, case: what, contender, ours, theirs, ratio: theirs / ours, unit };
}

export function median(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  const middle = sorted.length >> 1;
  return sorted.length % 2 === 1 ? sorted[middle] : (sorted[middle - 1] + sorted[middle]) / 2;
}

/** Median of `count` runs after `warm` that are thrown away. */
export async function medianOf(warm: number, count: number, run: () => Promise<number> | number): Promise<number> {
  const values: number[] = [];
  for (let i = 0; i < warm + count; i++) {
    const value = await run();
    if (i >= warm) values.push(value);
  }
  return median(values);
}
