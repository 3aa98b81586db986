/** Sequences: what was asked for, and each frame that is finished. */
import type { Sequence, SequenceFrame, SequenceRequest, Shot, StillFileKind } from '@daxel/api/schemas';
import type { Rig } from '@daxel/core/light/rig';
import type { Recipe } from '@daxel/core/recipe/recipe';
import type { Database, Row } from '../db/database';
import { isoTime } from './projects';

/** What of the shot decides its frames, as it was when the sequence was asked for. */
export type ShotSetup = Pick<Shot, 'rate' | 'optics' | 'take' | 'path' | 'seed'>;
export interface FrameFile {
  kind: StillFileKind;
  hash: string;
  bytes: number;
}
export interface FrameRow extends SequenceFrame {
  files: FrameFile[];
}
/** A sequence as the server keeps it, with the numbers of its finished frames. */
export interface SequenceRow extends Omit<Sequence, 'map' | 'progress' | 'formed' | 'secondsLeft' | 'rate'> {
  jobId: string | null;
  compiledHash: string;
  setup: ShotSetup;
  /** Number and whether something is wrong with it, in order. */
  finished: { frame: number; faulty: boolean }[];
}

const SELECT = `SELECT q.*, s.name AS shot_name,
    (SELECT count(*)::int FROM sequences v WHERE v.shot_id = q.shot_id AND v.created_at <= q.created_at) AS version, p.name AS project_name, c.compiled_hash,
    (SELECT coalesce(jsonb_agg(jsonb_build_object('frame', f.frame, 'faulty', f.faults <> '[]') ORDER BY f.frame), '[]')
       FROM sequence_frames f WHERE f.sequence_id = q.id) AS finished,
    (SELECT coalesce(sum(f.seconds), 0) FROM sequence_frames f WHERE f.sequence_id = q.id) AS seconds,
    (SELECT coalesce(jsonb_agg(jsonb_build_object('kind', k.kind, 'bytes', k.bytes)), '[]') FROM
       (SELECT x->>'kind' AS kind, sum((x->>'bytes')::bigint) AS bytes FROM sequence_frames f, jsonb_array_elements(f.files) x
        WHERE f.sequence_id = q.id GROUP BY x->>'kind') k) AS files
  FROM sequences q JOIN shots s ON s.id = q.shot_id JOIN projects p ON p.id = s.project_id JOIN scenes c ON c.id = s.scene_id
  WHERE q.deleted_at IS NULL AND p.deleted_at IS NULL`;
const OPEN = `q.state IN ('queued', 'running')`;

export async function insertSequence(
  db: Database,
  q: Pick<
    SequenceRow,
    'id' | 'shotId' | 'request' | 'recipe' | 'recipeHash' | 'rig' | 'setup' | 'width' | 'height' | 'samples'
  >,
): Promise<void> {
  await db.query(
    `INSERT INTO sequences (id, shot_id, state, request, recipe, recipe_hash, rig, setup, width, height, samples)
     VALUES ($1, $2, 'queued', $3, $4, $5, $6, $7, $8, $9, $10)`,
    [
      q.id,
      q.shotId,
      JSON.stringify(q.request),
      JSON.stringify(q.recipe),
      q.recipeHash,
      q.rig && JSON.stringify(q.rig),
      JSON.stringify(q.setup),
      q.width,
      q.height,
      q.samples,
    ],
  );
}

/** Newest first. */
export async function listSequences(db: Database, limit: number): Promise<SequenceRow[]> {
  return (await db.query(`${SELECT} ORDER BY q.created_at DESC LIMIT $1`, [limit])).map(toSequence);
}

export async function findSequence(db: Database, id: string): Promise<SequenceRow | undefined> {
  return (await db.query(`${SELECT} AND q.id = $1`, [id])).map(toSequence)[0];
}

/** Those that are being rendered or wait for it, the first to be asked for first. */
export async function openSequences(db: Database): Promise<SequenceRow[]> {
  return (await db.query(`${SELECT} AND ${OPEN} ORDER BY q.created_at, q.id`)).map(toSequence);
}

/** Those whose renders half way are still of use. */
export async function unfinishedSequenceIds(db: Database): Promise<string[]> {
  const rows = await db.query<{ id: string }>(`SELECT id FROM sequences WHERE state <> 'done' AND deleted_at IS NULL`);
  return rows.map((r) => r.id);
}

export async function setSequenceJob(db: Database, id: string, jobId: string): Promise<void> {
  await db.query('UPDATE sequences SET job_id = $2 WHERE id = $1', [id, jobId]);
}

/** @returns false when it does not wait for its turn any more */
export async function startSequence(db: Database, id: string): Promise<boolean> {
  const rows = await db.query(
    `UPDATE sequences q SET state = 'running', message = NULL WHERE id = $1 AND ${OPEN} AND deleted_at IS NULL RETURNING id`,
    [id],
  );
  return rows.length > 0;
}

/** @returns false when it was in none of the states */
export async function moveSequence(
  db: Database,
  id: string,
  from: readonly Sequence['state'][],
  to: Sequence['state'],
  message: string | null = null,
): Promise<boolean> {
  const ended = to === 'done' || to === 'failed' || to === 'cancelled';
  const rows = await db.query(
    `UPDATE sequences SET state = $2, message = $3, finished_at = ${ended ? 'now()' : 'NULL'}
     WHERE id = $1 AND state = ANY($4) RETURNING id`,
    [id, to, message, from],
  );
  return rows.length > 0;
}

/** A frame that is there already is replaced: it is the same. */
export async function saveFrame(db: Database, id: string, f: FrameRow): Promise<void> {
  await db.query(
    `INSERT INTO sequence_frames (sequence_id, frame, seconds, beauty_hash, mean, faults, files) VALUES ($1, $2, $3, $4, $5, $6, $7)
     ON CONFLICT (sequence_id, frame) DO UPDATE SET seconds = $3, beauty_hash = $4, mean = $5, faults = $6, files = $7`,
    [id, f.frame, f.seconds, f.beautyHash, f.mean, JSON.stringify(f.faults), JSON.stringify(f.files)],
  );
}

export async function framesOf(db: Database, id: string): Promise<FrameRow[]> {
  const rows = await db.query('SELECT * FROM sequence_frames WHERE sequence_id = $1 ORDER BY frame', [id]);
  return rows.map(toFrame);
}

export async function findFrame(db: Database, id: string, frame: number): Promise<FrameRow | undefined> {
  const rows = await db.query('SELECT * FROM sequence_frames WHERE sequence_id = $1 AND frame = $2', [id, frame]);
  return rows.map(toFrame)[0];
}

export async function dropFrames(db: Database, id: string, frames: readonly number[]): Promise<void> {
  await db.query('DELETE FROM sequence_frames WHERE sequence_id = $1 AND frame = ANY($2)', [id, frames]);
}

export async function setSequenceDeleted(db: Database, id: string, deleted: boolean): Promise<boolean> {
  const sql = `UPDATE sequences SET deleted_at = ${deleted ? 'now()' : 'NULL'} WHERE id = $1 RETURNING id`;
  return (await db.query(sql, [id])).length > 0;
}

function toFrame(row: Row): FrameRow {
  return {
    frame: row.frame as number,
    seconds: row.seconds as number,
    beautyHash: row.beauty_hash as string,
    mean: row.mean as number,
    faults: row.faults as string[],
    files: row.files as FrameFile[],
  };
}

function toSequence(row: Row): SequenceRow {
  return {
    id: row.id as string,
    shotId: row.shot_id as string,
    jobId: row.job_id as string | null,
    projectName: row.project_name as string,
    shotName: row.shot_name as string,
    compiledHash: row.compiled_hash as string,
    state: row.state as Sequence['state'],
    request: row.request as SequenceRequest,
    recipe: row.recipe as Recipe,
    recipeHash: row.recipe_hash as string,
    rig: row.rig as Rig | null,
    setup: row.setup as ShotSetup,
    version: Number(row.version),
    width: row.width as number,
    height: row.height as number,
    samples: row.samples as number,
    message: row.message as string | null,
    createdAt: isoTime(row.created_at),
    finishedAt: row.finished_at ? isoTime(row.finished_at) : null,
    finished: row.finished as SequenceRow['finished'],
    seconds: Number(row.seconds),
    files: row.files as Sequence['files'],
  };
}
