/** pg-boss on our database: jobs survive the server; those a dead server held are taken up again at start. */
import PgBoss from 'pg-boss';
import type { Database, Row } from '../db/database';
import { joinWorkers, type WorkerOptions } from './workers';

export const STILL_QUEUE = 'still';
const DAY = 86_400;
/** How soon work goes on after the clock was set. */
const AWAKE_MS = 5000;

/** A still, the next step of a wedge, the next frame of a sequence: taken in turns, one at a time. */
export type JobName = 'still' | 'wedge' | 'sequence';
/** What somebody waits for comes before what runs overnight. */
const PRIORITY: Record<JobName, number> = { still: 1, wedge: 1, sequence: 0 };
interface JobData {
  /** Of what is done, whatever its kind: an older version knew stills alone. */
  stillId: string;
  /** Absent for stills of that version. */
  kind?: JobName;
  /** Who works on it. */
  worker?: string;
}

export interface Queue {
  /** @returns the job's id */
  add(kind: JobName, id: string): Promise<string>;
  cancel(jobId: string): Promise<void>;
  /** Whether a job will still be worked on; one that was tried too often will not. */
  isOpen(jobId: string): Promise<boolean>;
  /** One job at a time; a handler that throws has the job tried again. */
  work(run: (kind: JobName, id: string, attemptsLeft: number) => Promise<void>): Promise<void>;
  stop(): Promise<void>;
}

export async function startQueue(
  db: Database,
  onError: (error: Error) => void,
  options: WorkerOptions = {},
): Promise<Queue> {
  let stopped = false;
  // pg-boss sends scripts of several statements only without values
  const execute = (text: string, values?: unknown[]): Promise<Row[]> =>
    (values?.length ? db.query<Row>(text, values) : db.script(text)).catch((error: unknown) => {
      // pg-boss does not wait for a job to be marked as done: one that ends with the server is taken up at the next start
      if (stopped) return new Promise<Row[]>(() => undefined);
      throw error;
    });
  const boss = new PgBoss({
    db: { executeSql: async (text: string, values?: unknown[]) => ({ rows: await execute(text, values) }) },
    schedule: false,
  });
  boss.on('error', onError);
  await boss.start();
  await boss.createQueue(STILL_QUEUE, { name: STILL_QUEUE, retryLimit: 3, retryDelay: 0, expireInSeconds: DAY - 1 });
  const workers = joinWorkers(db, STILL_QUEUE, options);
  const { gone, watched } = await workers.orphans();
  await failOrphans(db, boss, gone);
  void watched()
    .then((ids) => (stopped ? undefined : failOrphans(db, boss, ids)))
    .catch(onError);
  let workerId = '';
  let awake: NodeJS.Timeout | undefined;
  const wake = async (): Promise<void> => {
    await startNow(db);
    boss.notifyWorker(workerId);
  };
  return {
    add: async (kind, stillId) => {
      const id = await boss.send(STILL_QUEUE, { stillId, kind } satisfies JobData, {
        priority: PRIORITY[kind],
        retryLimit: 3,
        retryDelay: 0,
        expireInSeconds: DAY - 1,
      });
      if (!id) throw new Error('the queue did not take the job');
      if (workerId) boss.notifyWorker(workerId);
      return id;
    },
    cancel: (jobId) => boss.cancel(STILL_QUEUE, jobId),
    isOpen: async (jobId) => {
      const job = await boss.getJobById(STILL_QUEUE, jobId);
      return job !== null && ['created', 'retry', 'active'].includes(job.state);
    },
    work: async (run) => {
      workerId = await boss.work<JobData>(
        STILL_QUEUE,
        { batchSize: 1, pollingIntervalSeconds: 0.5, includeMetadata: true },
        async ([job]) => {
          await workers.takes(job.id);
          await run(job.data.kind ?? 'still', job.data.stillId, job.retryLimit - job.retryCount).finally(workers.rests);
          setImmediate(() => boss.notifyWorker(workerId));
        },
      );
      awake = setInterval(() => void wake().catch(() => undefined), AWAKE_MS).unref();
    },
    stop: async () => {
      stopped = true;
      clearInterval(awake);
      await workers.stop();
      await boss.stop({ graceful: false, close: false, wait: false });
    },
  };
}

/** Gives jobs back whose workers died. */
async function failOrphans(db: Database, boss: PgBoss, ids: readonly string[]): Promise<void> {
  // a worker that died says nothing against its job: only renderers that end count
  const rows = await db.query<{ id: string }>(
    `UPDATE pgboss.job SET retry_count = 0 WHERE name = $1 AND state = 'active' AND id = ANY($2) RETURNING id`,
    [STILL_QUEUE, ids],
  );
  if (rows.length > 0)
    await boss.fail(
      STILL_QUEUE,
      rows.map((r) => r.id),
    );
}

/**
 * Nothing is ever planned for later here: what seems to be was queued before the clock was set back, and would wait for
 * it to get there again.
 */
async function startNow(db: Pick<Database, 'query'>): Promise<void> {
  await db.query(
    `UPDATE pgboss.job SET start_after = now() - interval '1 second'
     WHERE name = $1 AND state IN ('created', 'retry') AND start_after > now()`,
    [STILL_QUEUE],
  );
}
