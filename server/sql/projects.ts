/** Projects, their scenes and shots. */
import type { Patch, Project, Scene, Shot, ShotChange, StoredRig } from '@daxel/api/schemas';
import type { Recipe } from '@daxel/core/recipe/recipe';
import type { Database, Row } from '../db/database';
import type { Statement } from '../db/databaseThread';

export interface NewScene {
  id: string;
  name: string;
  sourceHash: string;
  compiledHash: string;
  compiledBytes: number;
  counts: Scene['counts'];
  warnings: string[];
  shots: NewShot[];
}
export interface NewShot {
  id: string;
  name: string;
  firstFrame: number;
  lastFrame: number;
  rate: number;
  seed: number;
  recipe: Recipe;
  patches: Patch[];
  rigs: StoredRig[];
  rigId: string;
  hint: string | null;
  thumbnailHash: string | null;
}

export async function insertProject(
  db: Database,
  project: { id: string; name: string; source: Project['source']; scenes: NewScene[] },
): Promise<void> {
  const statements: Statement[] = [
    {
      sql: 'INSERT INTO projects (id, name, source) VALUES ($1, $2, $3)',
      params: [project.id, project.name, project.source],
    },
  ];
  let position = 0;
  project.scenes.forEach((scene, at) => {
    statements.push({
      sql: `INSERT INTO scenes (id, project_id, name, position, source_hash, compiled_hash, compiled_bytes, counts, warnings)
            VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9)`,
      params: [
        scene.id,
        project.id,
        scene.name,
        at,
        scene.sourceHash,
        scene.compiledHash,
        scene.compiledBytes,
        JSON.stringify(scene.counts),
        JSON.stringify(scene.warnings),
      ],
    });
    for (const shot of scene.shots) {
      statements.push({
        sql: `INSERT INTO shots (id, project_id, scene_id, name, position, first_frame, last_frame, rate, frame, seed, recipe, patches, hint, thumbnail_hash, rigs, rig_id)
              VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $6, $9, $10, $11, $12, $13, $14, $15)`,
        params: [
          shot.id,
          project.id,
          scene.id,
          shot.name,
          position++,
          shot.firstFrame,
          shot.lastFrame,
          shot.rate,
          shot.seed,
          JSON.stringify(shot.recipe),
          JSON.stringify(shot.patches),
          shot.hint,
          shot.thumbnailHash,
          JSON.stringify(shot.rigs),
          shot.rigId,
        ],
      });
    }
  });
  await db.together(statements);
}

/** All projects that are not deleted, or one of them, newest first; the demo's stand in front. */
export async function listProjects(db: Database, id?: string): Promise<Project[]> {
  const where = id ? 'AND p.id = $1' : '';
  const params = id ? [id] : [];
  const [projects, scenes, shots] = await Promise.all([
    db.query(
      `SELECT p.* FROM projects p WHERE p.deleted_at IS NULL ${where} ORDER BY (p.source = 'demo') DESC,
       CASE WHEN p.source = 'demo' THEN p.created_at END, p.created_at DESC LIMIT 500`,
      params,
    ),
    db.query(
      `SELECT s.* FROM scenes s JOIN projects p ON p.id = s.project_id WHERE p.deleted_at IS NULL ${where} ORDER BY s.position`,
      params,
    ),
    db.query(
      `SELECT s.* FROM shots s JOIN projects p ON p.id = s.project_id WHERE p.deleted_at IS NULL ${where} ORDER BY s.position`,
      params,
    ),
  ]);
  return projects.map((p) => ({
    id: p.id as string,
    name: p.name as string,
    source: p.source as Project['source'],
    createdAt: isoTime(p.created_at),
    scenes: scenes.filter((s) => s.project_id === p.id).map(toScene),
    shots: shots.filter((s) => s.project_id === p.id).map(toShot),
  }));
}

/** Whether the demo was ever made, deleted or not. */
export async function hasDemo(db: Database): Promise<boolean> {
  return (await db.query(`SELECT 1 FROM projects WHERE source = 'demo' LIMIT 1`)).length > 0;
}

/** Where every scene's file and its compiled form are. */
export interface SceneFiles {
  id: string;
  name: string;
  sourceHash: string;
  compiledHash: string;
  compiledBytes: number;
}

/** @param compiledHash of those that are asked for; all without one */
export async function sceneFiles(db: Database, compiledHash: string | null = null): Promise<SceneFiles[]> {
  const rows = await db.query<{ id: string; name: string; source: string; compiled: string; bytes: string }>(
    `SELECT id, name, source_hash AS source, compiled_hash AS compiled, compiled_bytes AS bytes FROM scenes
     WHERE $1::text IS NULL OR compiled_hash = $1`,
    [compiledHash],
  );
  return rows.map(({ id, name, source, compiled, bytes }) => ({
    ...{ id, name, sourceHash: source, compiledHash: compiled },
    compiledBytes: Number(bytes),
  }));
}

export async function setCompiled(db: Database, sceneId: string, hash: string, bytes: number): Promise<void> {
  await db.query('UPDATE scenes SET compiled_hash = $2, compiled_bytes = $3 WHERE id = $1', [sceneId, hash, bytes]);
}

export async function findShotRow(db: Database, id: string): Promise<(Shot & { compiledHash: string }) | undefined> {
  const rows = await db.query(
    `SELECT s.*, c.compiled_hash FROM shots s JOIN scenes c ON c.id = s.scene_id JOIN projects p ON p.id = s.project_id
     WHERE s.id = $1 AND p.deleted_at IS NULL`,
    [id],
  );
  return rows[0] && { ...toShot(rows[0]), compiledHash: rows[0].compiled_hash as string };
}

export async function findCompiledHash(db: Database, sceneId: string): Promise<string | undefined> {
  const rows = await db.query<{ compiled_hash: string }>('SELECT compiled_hash FROM scenes WHERE id = $1', [sceneId]);
  return rows[0]?.compiled_hash;
}

/** @returns the changed shot, or undefined when its version is another one by now */
export async function updateShot(db: Database, id: string, change: ShotChange): Promise<Shot | undefined> {
  const rows = await db.query(
    `UPDATE shots SET recipe = coalesce($3::jsonb, recipe), patches = coalesce($4::jsonb, patches),
       frame = coalesce($5::int, frame), rigs = coalesce($6::jsonb, rigs),
       rig_id = CASE WHEN $7 THEN $8 ELSE rig_id END,
       optics = CASE WHEN $9 THEN $10::jsonb ELSE optics END,
       take = CASE WHEN $11 THEN $12::jsonb ELSE take END,
       path = CASE WHEN $13 THEN $14::jsonb ELSE path END,
       first_frame = coalesce($15::int, first_frame), last_frame = coalesce($16::int, last_frame),
       rate = coalesce($17::float8, rate), handles = coalesce($18::int, handles), version = version + 1 WHERE id = $1 AND version = $2 RETURNING *`,
    [
      id,
      change.version,
      change.recipe ? JSON.stringify(change.recipe) : null,
      change.patches ? JSON.stringify(change.patches) : null,
      change.frame ?? null,
      change.rigs ? JSON.stringify(change.rigs) : null,
      change.rigId !== undefined,
      change.rigId ?? null,
      change.optics !== undefined,
      change.optics ? JSON.stringify(change.optics) : null,
      change.take !== undefined,
      change.take ? JSON.stringify(change.take) : null,
      change.path !== undefined,
      change.path ? JSON.stringify(change.path) : null,
      change.firstFrame ?? null,
      change.lastFrame ?? null,
      change.rate ?? null,
      change.handles ?? null,
    ],
  );
  return rows[0] && toShot(rows[0]);
}

export async function setThumbnail(db: Database, shotId: string, hash: string): Promise<boolean> {
  const rows = await db.query('UPDATE shots SET thumbnail_hash = $2 WHERE id = $1 RETURNING id', [shotId, hash]);
  return rows.length > 0;
}

export async function renameProject(db: Database, id: string, name: string): Promise<boolean> {
  const sql = 'UPDATE projects SET name = $2 WHERE id = $1 AND deleted_at IS NULL RETURNING id';
  return (await db.query(sql, [id, name])).length > 0;
}

/** Deleted projects stay in the database, so that deleting can be undone. */
export async function setProjectDeleted(db: Database, id: string, deleted: boolean): Promise<boolean> {
  // of the demo a row stays when everything else is gone for good
  const there = 'EXISTS (SELECT 1 FROM scenes WHERE project_id = $1)';
  const sql = `UPDATE projects SET deleted_at = ${deleted ? 'now()' : 'NULL'} WHERE id = $1 AND ${there} RETURNING id`;
  return (await db.query(sql, [id])).length > 0;
}

function toScene(row: Row): Scene {
  return {
    id: row.id as string,
    name: row.name as string,
    counts: row.counts as Scene['counts'],
    warnings: row.warnings as string[],
    compiledBytes: Number(row.compiled_bytes),
    compiledHash: row.compiled_hash as string,
  };
}

function toShot(row: Row): Shot {
  return {
    id: row.id as string,
    sceneId: row.scene_id as string,
    name: row.name as string,
    firstFrame: row.first_frame as number,
    lastFrame: row.last_frame as number,
    rate: row.rate as number,
    handles: row.handles as number,
    frame: row.frame as number,
    seed: row.seed as number,
    recipe: row.recipe as Recipe,
    patches: row.patches as Patch[],
    rigs: row.rigs as StoredRig[],
    rigId: row.rig_id as string | null,
    optics: row.optics as Shot['optics'],
    take: row.take as Shot['take'],
    path: row.path as Shot['path'],
    version: row.version as number,
    thumbnail: row.thumbnail_hash ? `/api/pictures/${row.thumbnail_hash as string}.png` : null,
    hint: row.hint as string | null,
  };
}

export function isoTime(value: unknown): string {
  return value instanceof Date ? value.toISOString() : new Date(value as string).toISOString();
}
