-- where a shot's camera goes; null for where it goes in the scene's file
ALTER TABLE shots ADD COLUMN path jsonb
