-- frames beyond the cut that are rendered at each end of a shot
ALTER TABLE shots ADD COLUMN handles integer NOT NULL DEFAULT 0
