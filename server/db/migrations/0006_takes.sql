-- what is random in a shot and which course of it is taken; null for what the scene's file says
ALTER TABLE shots ADD COLUMN take jsonb
