CREATE TABLE projects (
  id uuid PRIMARY KEY,
  name text NOT NULL,
  source text NOT NULL CHECK (source IN ('demo', 'file')),
  created_at timestamptz NOT NULL DEFAULT now(),
  deleted_at timestamptz
);

-- files are named by the hash of their contents
CREATE TABLE scenes (
  id uuid PRIMARY KEY,
  project_id uuid NOT NULL REFERENCES projects ON DELETE CASCADE,
  name text NOT NULL,
  position int NOT NULL,
  source_hash text NOT NULL,
  compiled_hash text NOT NULL,
  compiled_bytes bigint NOT NULL,
  counts jsonb NOT NULL,
  warnings jsonb NOT NULL
);
CREATE INDEX scenes_project ON scenes (project_id, position);

CREATE TABLE shots (
  id uuid PRIMARY KEY,
  project_id uuid NOT NULL REFERENCES projects ON DELETE CASCADE,
  scene_id uuid NOT NULL REFERENCES scenes ON DELETE CASCADE,
  name text NOT NULL,
  position int NOT NULL,
  first_frame int NOT NULL,
  last_frame int NOT NULL,
  rate double precision NOT NULL,
  frame int NOT NULL,
  seed int NOT NULL,
  recipe jsonb NOT NULL,
  patches jsonb NOT NULL DEFAULT '[]',
  hint text,
  version int NOT NULL DEFAULT 1,
  thumbnail_hash text
);
CREATE INDEX shots_project ON shots (project_id, position);

CREATE TABLE stills (
  id uuid PRIMARY KEY,
  shot_id uuid NOT NULL REFERENCES shots ON DELETE CASCADE,
  job_id uuid,
  state text NOT NULL CHECK (state IN ('queued', 'running', 'done', 'failed', 'cancelled')),
  tier text NOT NULL,
  camera jsonb NOT NULL,
  free_view boolean NOT NULL,
  frame int NOT NULL,
  width int NOT NULL,
  height int NOT NULL,
  samples int NOT NULL,
  recipe jsonb NOT NULL,
  recipe_hash text NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now(),
  started_at timestamptz,
  finished_at timestamptz,
  progress double precision NOT NULL DEFAULT 0,
  message text,
  stages jsonb,
  seconds double precision,
  beauty_hash text,
  files jsonb NOT NULL DEFAULT '[]',
  deleted_at timestamptz
);
CREATE INDEX stills_recent ON stills (created_at DESC) WHERE deleted_at IS NULL;
