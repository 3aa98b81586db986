-- frames of a shot that are rendered out, and each frame that is finished
CREATE TABLE sequences (
  id uuid PRIMARY KEY,
  shot_id uuid NOT NULL REFERENCES shots ON DELETE CASCADE,
  job_id uuid,
  state text NOT NULL CHECK (state IN ('queued', 'running', 'paused', 'done', 'failed', 'cancelled')),
  request jsonb NOT NULL,
  recipe jsonb NOT NULL,
  recipe_hash text NOT NULL,
  rig jsonb,
  -- rate, optics and seed of the shot when it was asked for
  setup jsonb NOT NULL,
  width int NOT NULL,
  height int NOT NULL,
  samples int NOT NULL,
  message text,
  created_at timestamptz NOT NULL DEFAULT now(),
  finished_at timestamptz,
  deleted_at timestamptz
);
CREATE INDEX sequences_recent ON sequences (created_at DESC) WHERE deleted_at IS NULL;

CREATE TABLE sequence_frames (
  sequence_id uuid NOT NULL REFERENCES sequences ON DELETE CASCADE,
  frame int NOT NULL,
  seconds double precision NOT NULL,
  beauty_hash text NOT NULL,
  -- mean luminance, and what is wrong with the frame, a phrase each
  mean double precision NOT NULL,
  faults jsonb NOT NULL,
  files jsonb NOT NULL,
  PRIMARY KEY (sequence_id, frame)
)
