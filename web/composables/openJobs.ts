/** Everything that is being rendered or waits for it, of all projects, as the line of jobs tells it. */
import { computed, type ComputedRef } from 'vue';
import type { RouteLocationRaw } from 'vue-router';
import type { Sequence, Still, Wedge } from '@daxel/api/schemas';
import { aheadInWords, waitingLine, type OpenJob, type WaitingJob } from '@daxel/core/plan/waitingLine';
import { formatDuration } from './format';
import { useRunner } from './useRun';
import { useProjects } from '../stores/projects';
import { finishedFrames, sequenceProgress, useSequences } from '../stores/sequences';
import { useStills } from '../stores/stills';
import { useWedges } from '../stores/wedges';

export interface JobLine {
  id: string;
  label: string;
  project: string;
  /** 0…1 */
  progress: number;
  /** It is the one that is being worked on. */
  active: boolean;
  /** What is ahead, in words. */
  waits: string;
  /** Time until it is done with what is ahead of it, in words; dots where nothing of that is known. */
  left: string;
  to: RouteLocationRaw;
}

export function useOpenJobs(): ComputedRef<JobLine[]> {
  const projects = useProjects();
  const stills = useStills();
  const sequences = useSequences();
  const wedges = useWedges();
  const runner = useRunner();
  /** The run of this page, which is rendered here beside what the server does. */
  const ownRun = computed<JobLine[]>(() => {
    const { progress, shotId } = runner;
    if (!progress) return [];
    const { done, all, secondsLeft } = progress;
    const { shot, project } = nameOf(shotId);
    return [
      {
        id: 'run',
        label: `run of ${shot}, frame ${Math.min(all, done + 1)} of ${all}`,
        project,
        progress: done / all,
        active: true,
        waits: '',
        left: secondsLeft === null ? '…' : `${formatDuration(secondsLeft)} left`,
        to: { name: 'motion', params: { shotId } },
      },
    ];
  });
  const nameOf = (shotId: string): { shot: string; project: string } => {
    const found = projects.find(shotId);
    return { shot: found?.shot.name ?? 'a shot', project: found?.project.name ?? '' };
  };
  return computed(() => {
    const known = new Map<string, { job: OpenJob; progress: number; project: string; to: RouteLocationRaw }>();
    const put = (job: OpenJob, progress: number, shotId: string, to: RouteLocationRaw): void => {
      known.set(job.id, { job, progress, project: nameOf(shotId).project, to });
    };
    for (const s of stills.running) {
      const to = { name: 'still', params: { shotId: s.shotId, stillId: s.id } };
      put(
        { ...opened(s), kind: 'still', label: `still of ${s.shotName}`, ownSeconds: s.secondsLeft },
        s.progress,
        s.shotId,
        to,
      );
    }
    for (const w of wedges.open) {
      const label = `${w.request.kind} of ${nameOf(w.shotId).shot}`;
      const to = { name: 'wedges', params: { shotId: w.shotId } };
      put({ ...opened(w), kind: 'wedge', label, ownSeconds: wedgeSeconds(w) }, wedgeProgress(w), w.shotId, to);
    }
    for (const s of sequences.running) {
      const label = `${s.shotName}, frame ${Math.min(s.map.length, finishedFrames(s) + 1)} of ${s.map.length}`;
      const to = { name: 'sequence', params: { shotId: s.shotId, sequenceId: s.id } };
      put({ ...opened(s), kind: 'sequence', label, ownSeconds: s.secondsLeft }, sequenceProgress(s), s.shotId, to);
    }
    const line = waitingLine([...known.values()].map((k) => k.job));
    // the first of those that were begun: a sequence is begun as well while stills come in between
    const active = line.find((j) => j.running) ?? null;
    const lines = line.map((job): JobLine => {
      const { progress, project, to } = known.get(job.id)!;
      const isActive = job.id === active?.id;
      const waits = isActive ? '' : aheadInWords(job, active?.label ?? null);
      return {
        id: job.id,
        label: job.label,
        project,
        progress,
        active: isActive,
        waits,
        left: leftOf(job),
        to,
      };
    });
    return [...ownRun.value, ...lines];
  });
}

function leftOf({ secondsLeft, atLeast }: WaitingJob): string {
  if (secondsLeft !== null) return `${formatDuration(secondsLeft)} left`;
  return atLeast >= 1 ? `over ${formatDuration(atLeast)}` : '…';
}

function opened({ id, state, createdAt }: Still | Wedge | Sequence): Pick<OpenJob, 'id' | 'running' | 'createdAt'> {
  return { id, running: state === 'running', createdAt };
}

/** Share of the steps of a wedge that are done. */
export function wedgeProgress({ steps, progress }: Wedge): number {
  const done = steps.filter((s) => s.seconds !== null).length;
  return steps.length === 0 ? 0 : Math.min(1, (done + progress) / steps.length);
}

/** Seconds that the rest of a wedge takes, by what its steps took so far; null before the first. */
export function wedgeSeconds(wedge: Wedge): number | null {
  const took = wedge.steps.flatMap((s) => (s.seconds === null ? [] : [s.seconds]));
  if (took.length === 0) return null;
  const mean = took.reduce((a, b) => a + b, 0) / took.length;
  return mean * Math.max(0, wedge.steps.length - took.length - wedge.progress);
}
