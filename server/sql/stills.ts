/** Stills: what was asked for, how far it is, what came of it. */
import type { CameraState, Still, StillFileKind } from '@daxel/api/schemas';
import type { Rig } from '@daxel/core/light/rig';
import type { Recipe } from '@daxel/core/recipe/recipe';
import type { Database, Row } from '../db/database';
import { isoTime } from './projects';

/** A still as the server keeps it: with the hashes of its files. */
export interface StillRow extends Omit<Still, 'files' | 'formed' | 'secondsLeft'> {
  jobId: string | null;
  sceneId: string;
  compiledHash: string;
  rate: number;
  seed: number;
  files: { kind: StillFileKind; bytes: number; hash: string }[];
}

const SELECT = `SELECT t.*, s.name AS shot_name, s.project_id, p.name AS project_name, s.scene_id, s.rate, s.seed, c.compiled_hash
  FROM stills t JOIN shots s ON s.id = t.shot_id JOIN projects p ON p.id = s.project_id JOIN scenes c ON c.id = s.scene_id
  WHERE t.deleted_at IS NULL`;

export async function insertStill(
  db: Database,
  still: Pick<
    Still,
    | 'id'
    | 'shotId'
    | 'tier'
    | 'camera'
    | 'freeView'
    | 'frame'
    | 'width'
    | 'height'
    | 'samples'
    | 'recipe'
    | 'recipeHash'
    | 'rig'
  >,
): Promise<void> {
  await db.query(
    `INSERT INTO stills (id, shot_id, state, tier, camera, free_view, frame, width, height, samples, recipe, recipe_hash, rig)
     VALUES ($1, $2, 'queued', $3, $4, $5, $6, $7, $8, $9, $10, $11, $12)`,
    [
      still.id,
      still.shotId,
      still.tier,
      JSON.stringify(still.camera),
      still.freeView,
      still.frame,
      still.width,
      still.height,
      still.samples,
      JSON.stringify(still.recipe),
      still.recipeHash,
      still.rig && JSON.stringify(still.rig),
    ],
  );
}

export async function setStillJob(db: Database, id: string, jobId: string): Promise<void> {
  await db.query('UPDATE stills SET job_id = $2 WHERE id = $1', [id, jobId]);
}

/** Newest first. @param before ISO time of the last one seen, for the next page */
export async function listStills(db: Database, options: { before?: string; limit: number }): Promise<StillRow[]> {
  const rows = await db.query(
    `${SELECT} AND p.deleted_at IS NULL AND ($1::timestamptz IS NULL OR t.created_at < $1) ORDER BY t.created_at DESC LIMIT $2`,
    [options.before ?? null, options.limit],
  );
  return rows.map(toStill);
}

export async function findStill(db: Database, id: string): Promise<StillRow | undefined> {
  return (await db.query(`${SELECT} AND t.id = $1`, [id])).map(toStill)[0];
}

/** Stills that were being made, or were waiting, when the server last ended. */
export async function openStills(db: Database): Promise<StillRow[]> {
  return (await db.query(`${SELECT} AND t.state IN ('queued', 'running') ORDER BY t.created_at`)).map(toStill);
}

/** @returns false when the still is not waiting any more, for example because it was cancelled */
export async function startStill(db: Database, id: string): Promise<boolean> {
  const rows = await db.query(
    `UPDATE stills SET state = 'running', started_at = now(), progress = 0, message = NULL
     WHERE id = $1 AND state IN ('queued', 'running') RETURNING id`,
    [id],
  );
  return rows.length > 0;
}

export async function setStillProgress(db: Database, id: string, progress: number): Promise<void> {
  await db.query(`UPDATE stills SET progress = $2 WHERE id = $1 AND state = 'running'`, [id, progress]);
}

export async function endStill(
  db: Database,
  id: string,
  end:
    | { state: 'failed' | 'cancelled'; message: string | null }
    | (Pick<StillRow, 'stages' | 'seconds' | 'beautyHash' | 'files'> & { state: 'done' }),
): Promise<void> {
  if (end.state !== 'done') {
    await db.query(
      `UPDATE stills SET state = $2, message = $3, finished_at = now() WHERE id = $1 AND state IN ('queued', 'running')`,
      [id, end.state, end.message],
    );
    return;
  }
  await db.query(
    `UPDATE stills SET state = 'done', progress = 1, finished_at = now(), stages = $2, seconds = $3, beauty_hash = $4, files = $5
     WHERE id = $1 AND state = 'running'`,
    [id, JSON.stringify(end.stages), end.seconds, end.beautyHash, JSON.stringify(end.files)],
  );
}

export async function requeueStill(db: Database, id: string): Promise<void> {
  await db.query(
    `UPDATE stills SET state = 'queued', progress = 0, started_at = NULL WHERE id = $1 AND state IN ('queued', 'running')`,
    [id],
  );
}

export async function setStillDeleted(db: Database, id: string, deleted: boolean): Promise<boolean> {
  const sql = `UPDATE stills SET deleted_at = ${deleted ? 'now()' : 'NULL'} WHERE id = $1 RETURNING id`;
  return (await db.query(sql, [id])).length > 0;
}

function toStill(row: Row): StillRow {
  return {
    id: row.id as string,
    shotId: row.shot_id as string,
    jobId: row.job_id as string | null,
    projectId: row.project_id as string,
    projectName: row.project_name as string,
    shotName: row.shot_name as string,
    sceneId: row.scene_id as string,
    compiledHash: row.compiled_hash as string,
    rate: row.rate as number,
    seed: row.seed as number,
    state: row.state as Still['state'],
    tier: row.tier as Still['tier'],
    freeView: row.free_view as boolean,
    camera: row.camera as CameraState,
    frame: row.frame as number,
    width: row.width as number,
    height: row.height as number,
    samples: row.samples as number,
    recipe: row.recipe as Recipe,
    recipeHash: row.recipe_hash as string,
    rig: row.rig as Rig | null,
    createdAt: isoTime(row.created_at),
    startedAt: row.started_at ? isoTime(row.started_at) : null,
    finishedAt: row.finished_at ? isoTime(row.finished_at) : null,
    progress: row.progress as number,
    message: row.message as string | null,
    stages: row.stages as Still['stages'],
    seconds: row.seconds as number | null,
    beautyHash: row.beauty_hash as string | null,
    files: row.files as StillRow['files'],
  };
}
