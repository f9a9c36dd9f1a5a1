-- Written from the migrated database, for reading; the migrations are what runs.

CREATE TABLE project (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL CHECK (name <> ''),
    version INTEGER NOT NULL DEFAULT 1 CHECK (version > 0),
    head INTEGER NOT NULL DEFAULT 0 CHECK (head >= 0),
    settings TEXT NOT NULL CHECK (json_valid(settings)),
    changed_at TEXT NOT NULL
, folder TEXT NOT NULL DEFAULT '', archived INTEGER NOT NULL DEFAULT 0 CHECK (archived IN (0, 1)), deleted INTEGER NOT NULL DEFAULT 0 CHECK (deleted IN (0, 1)), deleted_at TEXT) STRICT;

CREATE TABLE element (
    project_id INTEGER NOT NULL REFERENCES project (id) ON DELETE CASCADE,
    id TEXT NOT NULL,
    position REAL NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (project_id, id)
) STRICT, WITHOUT ROWID;

CREATE TABLE operating_state (
    project_id INTEGER NOT NULL REFERENCES project (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (project_id, position)
) STRICT, WITHOUT ROWID;

CREATE TABLE sheet (
    project_id INTEGER NOT NULL REFERENCES project (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (project_id, position)
) STRICT, WITHOUT ROWID;

CREATE TABLE change (
    project_id INTEGER NOT NULL REFERENCES project (id) ON DELETE CASCADE,
    seq INTEGER NOT NULL CHECK (seq > 0),
    title TEXT NOT NULL,
    made_at TEXT NOT NULL,
    acts TEXT NOT NULL CHECK (json_valid(acts)),
    inverse TEXT NOT NULL CHECK (json_valid(inverse)), made_by TEXT NOT NULL DEFAULT '',
    PRIMARY KEY (project_id, seq)
) STRICT, WITHOUT ROWID;

CREATE TABLE assembly (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL UNIQUE CHECK (name <> ''),
    body TEXT NOT NULL CHECK (json_valid(body))
) STRICT;

CREATE TABLE own_entry (
    project_id INTEGER NOT NULL REFERENCES project (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (project_id, position)
) STRICT, WITHOUT ROWID;

CREATE TABLE document (
    project_id INTEGER NOT NULL REFERENCES project (id) ON DELETE CASCADE,
    sha256 TEXT NOT NULL CHECK (length(sha256) = 64),
    content BLOB NOT NULL,
    PRIMARY KEY (project_id, sha256)
) STRICT;

CREATE TABLE reader_link (
    token TEXT PRIMARY KEY CHECK (length(token) >= 32),
    project_id INTEGER NOT NULL REFERENCES project (id) ON DELETE CASCADE,
    element_id TEXT NOT NULL DEFAULT '',
    made_at TEXT NOT NULL
) STRICT;

CREATE TABLE proposal (
    project_id INTEGER NOT NULL REFERENCES project (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (project_id, position)
) STRICT, WITHOUT ROWID;

CREATE TABLE acknowledged (
    project_id INTEGER NOT NULL REFERENCES project (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (project_id, position)
) STRICT, WITHOUT ROWID;

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

CREATE TABLE kept_curves (
    project_id INTEGER NOT NULL REFERENCES project (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (project_id, position)
) STRICT, WITHOUT ROWID;

CREATE TABLE sent_settings (
    project_id INTEGER NOT NULL REFERENCES project (id) ON DELETE CASCADE,
    device TEXT NOT NULL,
    sent_at TEXT NOT NULL,
    sent_by TEXT NOT NULL,
    told TEXT NOT NULL CHECK (json_valid(told)),
    PRIMARY KEY (project_id, device)
) STRICT, WITHOUT ROWID;

CREATE TABLE printed_label (
    id INTEGER PRIMARY KEY,
    project_id INTEGER NOT NULL REFERENCES project (id) ON DELETE CASCADE,
    bus TEXT NOT NULL,
    side TEXT NOT NULL,
    printed_at TEXT NOT NULL,
    printed_by TEXT NOT NULL,
    copies INTEGER NOT NULL CHECK (copies > 0),
    job TEXT NOT NULL,
    told TEXT NOT NULL CHECK (json_valid(told))
) STRICT;

CREATE INDEX printed_label_of ON printed_label (project_id, bus, side);

CREATE TABLE label_stock (
    project_id INTEGER NOT NULL REFERENCES project (id) ON DELETE CASCADE,
    name TEXT NOT NULL,
    told TEXT NOT NULL CHECK (json_valid(told)),
    PRIMARY KEY (project_id, name)
) STRICT, WITHOUT ROWID;

CREATE TABLE label_words (
    project_id INTEGER NOT NULL REFERENCES project (id) ON DELETE CASCADE,
    language TEXT NOT NULL,
    told TEXT NOT NULL CHECK (json_valid(told)),
    PRIMARY KEY (project_id, language)
) STRICT, WITHOUT ROWID;

CREATE TABLE label_logo (
    project_id INTEGER PRIMARY KEY REFERENCES project (id) ON DELETE CASCADE,
    png BLOB NOT NULL,
    shape REAL NOT NULL CHECK (shape > 0)
) STRICT;
