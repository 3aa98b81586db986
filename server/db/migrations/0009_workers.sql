-- Who works on jobs: a job whose worker is gone is given to another.
CREATE TABLE workers (
  id uuid PRIMARY KEY,
  -- What sees the same processes, and which process of it.
  place text NOT NULL,
  process text NOT NULL,
  beats int NOT NULL DEFAULT 0
);
