/** Which stored files rows hold, and which rows are deleted for good. */
import type { StorageKind } from '@daxel/api/schemas';
import type { Database } from '../db/database';

export interface HeldFile {
  hash: string;
  kind: StorageKind;
  /** Only rows that are deleted, and can still be brought back, hold it. */
  deleted: boolean;
}

const GONE = '(p.deleted_at IS NOT NULL)';
const OF_SHOT = 'JOIN shots s ON s.id = t.shot_id JOIN projects p ON p.id = s.project_id';
/** Pictures around a rig, wherever one is kept. */
const PICTURES = (rigs: string): string => `(regexp_matches(${rigs}::text, '"picture": ?"([0-9a-f]{64})"', 'g'))[1]`;

/** One query a kind of holder: hash, kind, and whether the holder is deleted. */
const HOLDERS: readonly string[] = [
  `SELECT source_hash AS hash, 'scenes' AS kind, ${GONE} AS deleted FROM scenes c JOIN projects p ON p.id = c.project_id`,
  `SELECT compiled_hash, 'scenes', ${GONE} FROM scenes c JOIN projects p ON p.id = c.project_id`,
  `SELECT thumbnail_hash, 'thumbnails', ${GONE} FROM shots s JOIN projects p ON p.id = s.project_id
   WHERE thumbnail_hash IS NOT NULL`,
  `SELECT x->>'hash', 'stills', ${GONE} OR t.deleted_at IS NOT NULL
   FROM stills t ${OF_SHOT}, jsonb_array_elements(t.files) x`,
  `SELECT x->>'hash', 'sequences', ${GONE} OR t.deleted_at IS NOT NULL
   FROM sequences t JOIN sequence_frames f ON f.sequence_id = t.id ${OF_SHOT}, jsonb_array_elements(f.files) x`,
  `SELECT x->>'hash', 'wedges', ${GONE} OR t.deleted_at IS NOT NULL
   FROM wedges t ${OF_SHOT}, jsonb_array_elements(t.steps) x WHERE x ? 'hash'`,
  ...['exr', 'png'].map(
    (form) => `SELECT t.reference->>'${form}', 'wedges', ${GONE} OR t.deleted_at IS NOT NULL
               FROM wedges t ${OF_SHOT} WHERE t.reference ? '${form}'`,
  ),
  `SELECT ${PICTURES('s.rigs')}, 'surroundings', ${GONE} FROM shots s JOIN projects p ON p.id = s.project_id`,
  ...['stills', 'sequences', 'wedges'].map(
    (table) =>
      `SELECT ${PICTURES('t.rig')}, 'surroundings', ${GONE} OR t.deleted_at IS NOT NULL FROM ${table} t ${OF_SHOT}`,
  ),
];

/** Every stored file that a row holds, once: of two holders one that is not deleted counts. */
export async function heldFiles(db: Database): Promise<Map<string, HeldFile>> {
  const rows = await db.query<{ hash: string | null; kind: StorageKind; deleted: boolean }>(
    HOLDERS.join(' UNION ALL '),
  );
  const held = new Map<string, HeldFile>();
  for (const { hash, kind, deleted } of rows)
    if (hash && (held.get(hash)?.deleted ?? true)) held.set(hash, { hash, kind, deleted });
  return held;
}

/** Forgets what was deleted longer ago than it can be brought back. */
export async function purgeDeleted(db: Database, days: number): Promise<void> {
  const old = 'deleted_at <= now() - make_interval(days => $1)';
  for (const table of ['stills', 'sequences', 'wedges']) await db.query(`DELETE FROM ${table} WHERE ${old}`, [days]);
  // of the demo a row stays, so that it is not made again
  await db.query(`DELETE FROM projects WHERE ${old} AND source <> 'demo'`, [days]);
  await db.query(`DELETE FROM scenes WHERE project_id IN (SELECT id FROM projects WHERE ${old})`, [days]);
}
