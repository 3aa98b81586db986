/**
 * Who works on which job. A job whose worker is gone is given to another; one whose worker lives, in this process or in
 * another, is left alone. On one machine the system tells whether a process is there; of others it is watched whether
 * their beats go on, so that no clock is asked.
 */
import { randomUUID } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { setTimeout as wait } from 'node:timers/promises';
import type { Database, Row } from '../db/database';
import { placeOfSockets } from '../db/lock';

export interface WorkerOptions {
  /** What sees the same processes as this one; tests give another. */
  place?: string;
  /** Milliseconds between two beats, and for which a beat is waited for. */
  beatMs?: number;
  watchMs?: number;
}

const BEAT_MS = 3000;
const WATCH_MS = 8000;

interface Holder {
  job: string;
  worker: string | null;
  place: string | null;
  process: string | null;
  beats: number | null;
}

export interface Workers {
  /** Notes that this worker has a job in hands, and beats while it has. */
  takes(jobId: string): Promise<void>;
  rests(): void;
  /** Active jobs of the queue whose workers are gone already, and those whose workers have to be watched for that. */
  orphans(): Promise<{ gone: string[]; watched: () => Promise<string[]> }>;
  stop(): Promise<void>;
}

/** @param queue name of the queue */
export function joinWorkers(db: Database, queue: string, options: WorkerOptions = {}): Workers {
  const { place = placeOfSockets(), beatMs = BEAT_MS, watchMs = WATCH_MS } = options;
  const id = randomUUID();
  const beat = (): Promise<unknown> =>
    db.query('UPDATE workers SET beats = beats + 1 WHERE id = $1', [id]).catch(() => undefined);
  let timer: NodeJS.Timeout | undefined;

  const holders = (): Promise<Holder[]> =>
    db.query<Holder & Row>(
      `SELECT j.id AS job, w.id AS worker, w.place, w.process, w.beats FROM pgboss.job j
       LEFT JOIN workers w ON w.id::text = j.data->>'worker' WHERE j.name = $1 AND j.state = 'active'`,
      [queue],
    );
  const isGone = (h: Holder): boolean =>
    h.worker === null || (h.place === place && processName(pidOf(h.process!)) !== h.process);

  return {
    async takes(jobId) {
      // at once: a worker without a job may be forgotten at any time, a job without a worker is given away
      await db.query(
        `WITH entered AS (INSERT INTO workers (id, place, process) VALUES ($1::uuid, $2, $3) ON CONFLICT DO NOTHING)
         UPDATE pgboss.job SET data = data || jsonb_build_object('worker', $1::uuid) WHERE id = $4`,
        [id, place, processName('self'), jobId],
      );
      clearInterval(timer);
      timer = setInterval(() => void beat(), beatMs).unref();
    },
    rests: () => clearInterval(timer),
    async orphans() {
      const found = await holders();
      const gone = found.filter(isGone);
      const elsewhere = found.filter((h) => !isGone(h) && h.place !== place);
      const watched = async (): Promise<string[]> => {
        if (elsewhere.length === 0) return [];
        await wait(watchMs, undefined, { ref: false });
        const now = await holders();
        const silent = (h: Holder): boolean =>
          now.some((n) => n.job === h.job && n.worker === h.worker && n.beats === h.beats);
        return elsewhere.filter(silent).map((h) => h.job);
      };
      // whoever has nothing in hands is entered again when it takes a job
      await db.query(
        `DELETE FROM workers w WHERE NOT EXISTS
         (SELECT 1 FROM pgboss.job j WHERE j.name = $1 AND j.state = 'active' AND j.data->>'worker' = w.id::text)`,
        [queue],
      );
      return { gone: gone.map((h) => h.job), watched };
    },
    async stop() {
      clearInterval(timer);
      await db.query('DELETE FROM workers WHERE id = $1', [id]).catch(() => undefined);
    },
  };
}

/** Its number and, as numbers come back, when it began; empty where there is none. */
export function processName(pid: string): string {
  if (process.platform !== 'linux') return isAlive(pid) ? pid.replace('self', String(process.pid)) : '';
  try {
    const [number, rest] = readFileSync(`/proc/${pid}/stat`, 'latin1').split(/ \(.*\) /s);
    return `${number} ${rest.split(' ')[19]}`;
  } catch {
    return '';
  }
}

function isAlive(pid: string): boolean {
  if (pid === 'self') return true;
  try {
    process.kill(Number(pid), 0);
    return true;
  } catch {
    return false;
  }
}

function pidOf(name: string): string {
  return name.split(' ')[0];
}
