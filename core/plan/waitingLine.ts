/** The line of jobs: in which order one machine takes them, what is ahead of each, and when each will truly be done. */

export type JobKind = 'still' | 'wedge' | 'sequence';

export interface OpenJob {
  id: string;
  kind: JobKind;
  /** As it is called beside others: "gallery, frames 0–5". */
  label: string;
  running: boolean;
  createdAt: string;
  /** Seconds of its own work that are left; null where nothing of it has been timed. */
  ownSeconds: number | null;
}

export interface WaitingJob extends OpenJob {
  /** Names of what is rendered before it, in that order. */
  ahead: string[];
  /** Seconds until it is done, what is ahead included; null where some of that is not known. */
  secondsLeft: number | null;
  /** What is known of these. */
  atLeast: number;
}

/** Stills and steps of wedges come before frames of sequences, which somebody seldom waits for at the screen. */
const ORDER: Record<JobKind, number> = { still: 0, wedge: 1, sequence: 2 };

/** In the order in which they will be done. */
export function waitingLine(jobs: readonly OpenJob[]): WaitingJob[] {
  const line = [...jobs].sort(
    (a, b) =>
      ORDER[a.kind] - ORDER[b.kind] ||
      // a sequence that was begun goes on between those that were asked for later
      Number(b.running) - Number(a.running) ||
      a.createdAt.localeCompare(b.createdAt) ||
      a.id.localeCompare(b.id),
  );
  return line.map((job, i) => {
    const before = line.slice(0, i);
    // wedges take turns, step by step: one that comes later holds up an earlier one as well, for as long as that runs
    const beside = job.kind === 'wedge' ? line.slice(i + 1).filter((j) => j.kind === 'wedge') : [];
    const seconds = [
      job.ownSeconds,
      ...before.map((j) => (j.kind === 'wedge' && job.kind === 'wedge' ? shorter(j, job) : j.ownSeconds)),
      ...beside.map((j) => shorter(j, job)),
    ];
    const atLeast = seconds.reduce((sum: number, s) => sum + (s ?? 0), 0);
    return {
      ...job,
      ahead: before.map((j) => j.label),
      secondsLeft: seconds.every((s) => s !== null) ? atLeast : null,
      atLeast,
    };
  });
}

/** How long one job can hold up another that it takes turns with. */
function shorter(a: OpenJob, b: OpenJob): number | null {
  return a.ownSeconds === null || b.ownSeconds === null ? null : Math.min(a.ownSeconds, b.ownSeconds);
}

/** What a job waits for, in words; empty for the first. @param running label of the job that is being worked on */
export function aheadInWords(job: WaitingJob, running: string | null): string {
  const [first, second, ...rest] = job.ahead;
  if (first === undefined) return running === null || running === job.label ? '' : `after this step of ${running}`;
  if (second === undefined) return `after ${first}`;
  return rest.length === 0 ? `after ${first} and ${second}` : `after ${first}, ${second} and ${rest.length} more`;
}
