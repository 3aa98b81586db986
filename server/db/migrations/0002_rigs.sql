-- complete lightings of a shot, and the one it is shown in; a shot from before has none and shows the scene's own light
ALTER TABLE shots ADD COLUMN rigs jsonb NOT NULL DEFAULT '[]';
ALTER TABLE shots ADD COLUMN rig_id text;
-- the light a still was asked for in; null for the scene's own
ALTER TABLE stills ADD COLUMN rig jsonb
