-- Catalogue entries of a project's own, in their order.
CREATE TABLE own_entry (
    project_id INTEGER NOT NULL REFERENCES project (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (project_id, position)
) STRICT, WITHOUT ROWID;

-- Contents of attached documents, by their digest. The network says which element carries which; contents stay for undo.
CREATE TABLE document (
    project_id INTEGER NOT NULL REFERENCES project (id) ON DELETE CASCADE,
    sha256 TEXT NOT NULL CHECK (length(sha256) = 64),
    content BLOB NOT NULL,
    PRIMARY KEY (project_id, sha256)
) STRICT;

-- Links for readers, who see a project (or one element of it) and can change nothing.
CREATE TABLE reader_link (
    token TEXT PRIMARY KEY CHECK (length(token) >= 32),
    project_id INTEGER NOT NULL REFERENCES project (id) ON DELETE CASCADE,
    element_id TEXT NOT NULL DEFAULT '',
    made_at TEXT NOT NULL
) STRICT;
