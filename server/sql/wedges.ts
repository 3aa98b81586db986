/** Wedges: what was asked for, and what came of each step. */
import type { CameraState, Patch, Wedge, WedgeRequest, WedgeStepResult } from '@daxel/api/schemas';
import type { Rig } from '@daxel/core/light/rig';
import type { Recipe } from '@daxel/core/recipe/recipe';
import type { Database, Row } from '../db/database';
import { isoTime } from './projects';

/** A step as the server keeps it: with the hash of its picture. */
export interface StepRow extends WedgeStepResult {
  hash?: string;
}
export interface ReferenceRow {
  label: string;
  seconds: number | null;
  noise: number | null;
  /** Of its EXR, and of its PNG. */
  exr: string;
  png: string;
}
export interface WedgeRow extends Omit<Wedge, 'progress' | 'steps' | 'reference'> {
  jobId: string | null;
  rig: Rig | null;
  camera: CameraState;
  frame: number;
  steps: StepRow[];
  reference: ReferenceRow | null;
  compiledHash: string;
  rate: number;
  seed: number;
}

const SELECT = `SELECT w.*, s.rate, s.seed, c.compiled_hash
  FROM wedges w JOIN shots s ON s.id = w.shot_id JOIN scenes c ON c.id = s.scene_id WHERE w.deleted_at IS NULL`;

export async function insertWedge(
  db: Database,
  w: Pick<WedgeRow, 'id' | 'shotId' | 'request' | 'recipe' | 'rig' | 'patches' | 'camera' | 'frame' | 'steps'>,
): Promise<void> {
  await db.query(
    `INSERT INTO wedges (id, shot_id, state, request, recipe, rig, patches, camera, frame, steps)
     VALUES ($1, $2, 'queued', $3, $4, $5, $6, $7, $8, $9)`,
    [
      w.id,
      w.shotId,
      JSON.stringify(w.request),
      JSON.stringify(w.recipe),
      w.rig && JSON.stringify(w.rig),
      JSON.stringify(w.patches),
      JSON.stringify(w.camera),
      w.frame,
      JSON.stringify(w.steps),
    ],
  );
}

export async function setWedgeJob(db: Database, id: string, jobId: string): Promise<void> {
  await db.query('UPDATE wedges SET job_id = $2 WHERE id = $1', [id, jobId]);
}

/** Newest first. */
export async function listWedges(db: Database, shotId: string, limit: number): Promise<WedgeRow[]> {
  const rows = await db.query(`${SELECT} AND w.shot_id = $1 ORDER BY w.created_at DESC LIMIT $2`, [shotId, limit]);
  return rows.map(toWedge);
}

export async function findWedge(db: Database, id: string): Promise<WedgeRow | undefined> {
  return (await db.query(`${SELECT} AND w.id = $1`, [id])).map(toWedge)[0];
}

export async function openWedges(db: Database): Promise<WedgeRow[]> {
  return (await db.query(`${SELECT} AND w.state IN ('queued', 'running') ORDER BY w.created_at`)).map(toWedge);
}

/** @returns false when the wedge is not waiting any more */
export async function startWedge(db: Database, id: string): Promise<boolean> {
  const rows = await db.query(
    `UPDATE wedges SET state = 'running' WHERE id = $1 AND state IN ('queued', 'running') AND deleted_at IS NULL RETURNING id`,
    [id],
  );
  return rows.length > 0;
}

/**
 * Writes one step: others may be written at the same time.
 * @param reference where the step is what the others are measured against: both are there, or neither
 */
export async function saveStep(
  db: Database,
  id: string,
  index: number,
  step: StepRow,
  reference: ReferenceRow | null,
): Promise<void> {
  await db.query(
    `UPDATE wedges SET steps = jsonb_set(steps, ARRAY[$2::text], $3::jsonb), reference = COALESCE($4::jsonb, reference)
     WHERE id = $1`,
    [id, String(index), JSON.stringify(step), reference && JSON.stringify(reference)],
  );
}

/** What the steps are measured against, once it is there. */
export async function saveReference(db: Database, id: string, reference: ReferenceRow): Promise<void> {
  await db.query('UPDATE wedges SET reference = $2 WHERE id = $1', [id, JSON.stringify(reference)]);
}

export async function endWedge(
  db: Database,
  id: string,
  state: 'done' | 'failed' | 'cancelled',
  message: string | null = null,
): Promise<void> {
  await db.query(
    `UPDATE wedges SET state = $2, message = $3, finished_at = now() WHERE id = $1 AND state IN ('queued', 'running')`,
    [id, state, message],
  );
}

export async function reopenWedge(db: Database, id: string): Promise<void> {
  await db.query(
    `UPDATE wedges SET state = 'queued', message = NULL, finished_at = NULL WHERE id = $1 AND state IN ('failed', 'cancelled')`,
    [id],
  );
}

export async function deleteWedge(db: Database, id: string): Promise<void> {
  await db.query('UPDATE wedges SET deleted_at = now() WHERE id = $1', [id]);
}

function toWedge(row: Row): WedgeRow {
  return {
    id: row.id as string,
    shotId: row.shot_id as string,
    jobId: row.job_id as string | null,
    state: row.state as Wedge['state'],
    request: row.request as WedgeRequest,
    recipe: row.recipe as Recipe,
    rig: row.rig as Rig | null,
    patches: row.patches as Patch[],
    camera: row.camera as CameraState,
    frame: row.frame as number,
    steps: row.steps as StepRow[],
    reference: row.reference as ReferenceRow | null,
    message: row.message as string | null,
    createdAt: isoTime(row.created_at),
    finishedAt: row.finished_at ? isoTime(row.finished_at) : null,
    compiledHash: row.compiled_hash as string,
    rate: row.rate as number,
    seed: row.seed as number,
  };
}
