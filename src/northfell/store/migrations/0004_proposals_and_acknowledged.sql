-- Proposals kept beside the network, in their order.
CREATE TABLE proposal (
    project_id INTEGER NOT NULL REFERENCES project (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (project_id, position)
) STRICT, WITHOUT ROWID;

-- Findings that were acknowledged with a reason.
CREATE TABLE acknowledged (
    project_id INTEGER NOT NULL REFERENCES project (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (project_id, position)
) STRICT, WITHOUT ROWID;
