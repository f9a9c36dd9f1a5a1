-- Where a project stands in the list: in a folder, in the archive, or deleted (kept until another is deleted for good).
ALTER TABLE project ADD COLUMN folder TEXT NOT NULL DEFAULT '';
ALTER TABLE project ADD COLUMN archived INTEGER NOT NULL DEFAULT 0 CHECK (archived IN (0, 1));
ALTER TABLE project ADD COLUMN deleted INTEGER NOT NULL DEFAULT 0 CHECK (deleted IN (0, 1));

-- Assemblies that engineers stored from a selection, for all projects.
CREATE TABLE assembly (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL UNIQUE CHECK (name <> ''),
    body TEXT NOT NULL CHECK (json_valid(body))
) STRICT;
