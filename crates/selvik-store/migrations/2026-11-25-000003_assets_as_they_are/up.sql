-- Meshes hardly get smaller and are many megabytes: they are kept as they are.
ALTER TABLE assets ALTER COLUMN content SET STORAGE EXTERNAL;
