-- Sheets of curves that are kept, in their order.
CREATE TABLE kept_curves (
    project_id INTEGER NOT NULL REFERENCES project (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (project_id, position)
) STRICT, WITHOUT ROWID;
