-- shutter and focus of a shot; null for those of the scene's file
ALTER TABLE shots ADD COLUMN optics jsonb
