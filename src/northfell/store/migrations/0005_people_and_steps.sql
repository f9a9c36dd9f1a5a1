-- Who may sign in, who changed what, what each version touched, and what the list of projects shows of a version.
CREATE TABLE person (
    name TEXT PRIMARY KEY CHECK (name <> ''),
    role TEXT NOT NULL CHECK (role IN ('edits', 'reads')),
    password TEXT NOT NULL,  -- an argon2id digest
    since TEXT NOT NULL  -- sessions that began before are over
) STRICT, WITHOUT ROWID;

CREATE TABLE kept (
    key TEXT PRIMARY KEY,
    value TEXT NOT NULL
) STRICT, WITHOUT ROWID;

ALTER TABLE change ADD COLUMN made_by TEXT NOT NULL DEFAULT '';

CREATE TABLE step (
    project_id INTEGER NOT NULL REFERENCES project (id) ON DELETE CASCADE,
    version INTEGER NOT NULL,  -- that the step led to
    made_by TEXT NOT NULL,
    title TEXT NOT NULL,
    touched TEXT NOT NULL CHECK (json_valid(touched)),  -- paths of what it wrote
    PRIMARY KEY (project_id, version)
) STRICT, WITHOUT ROWID;

CREATE TABLE listed (
    project_id INTEGER PRIMARY KEY REFERENCES project (id) ON DELETE CASCADE,
    version INTEGER NOT NULL,
    counts TEXT CHECK (counts IS NULL OR json_valid(counts)),  -- of findings; null where they were not gathered at that version
    picture TEXT CHECK (picture IS NULL OR json_valid(picture)),
    picture_version INTEGER NOT NULL DEFAULT 0
) STRICT;

CREATE TABLE proposed_change (
    project_id INTEGER NOT NULL REFERENCES project (id) ON DELETE CASCADE,
    proposal TEXT NOT NULL,
    position INTEGER NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (project_id, proposal, position)
) STRICT, WITHOUT ROWID;

INSERT INTO proposed_change (project_id, proposal, position, body)
SELECT p.project_id, json_extract(p.body, '$.name'), c.key, c.value FROM proposal p, json_each(p.body, '$.changes') c;

UPDATE proposal SET body = json_remove(body, '$.changes');

ALTER TABLE project ADD COLUMN deleted_at TEXT;  -- when it was deleted: some time later it goes for good

UPDATE project SET deleted_at = strftime('%Y-%m-%dT%H:%M:%f+00:00', 'now') WHERE deleted = 1;
