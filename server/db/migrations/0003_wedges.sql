-- series of renders over one or two settings; steps hold what came of each, in the order of the request
CREATE TABLE wedges (
  id uuid PRIMARY KEY,
  shot_id uuid NOT NULL REFERENCES shots ON DELETE CASCADE,
  job_id uuid,
  state text NOT NULL CHECK (state IN ('queued', 'running', 'done', 'failed', 'cancelled')),
  request jsonb NOT NULL,
  recipe jsonb NOT NULL,
  rig jsonb,
  patches jsonb NOT NULL,
  camera jsonb NOT NULL,
  frame int NOT NULL,
  reference jsonb,
  steps jsonb NOT NULL,
  message text,
  created_at timestamptz NOT NULL DEFAULT now(),
  finished_at timestamptz,
  deleted_at timestamptz
);
CREATE INDEX wedges_shot ON wedges (shot_id, created_at DESC) WHERE deleted_at IS NULL
