-- What each protective device was sent last, and by whom.
CREATE TABLE sent_settings (
    project_id INTEGER NOT NULL REFERENCES project (id) ON DELETE CASCADE,
    device TEXT NOT NULL,
    sent_at TEXT NOT NULL,
    sent_by TEXT NOT NULL,
    told TEXT NOT NULL CHECK (json_valid(told)),
    PRIMARY KEY (project_id, device)
) STRICT, WITHOUT ROWID;
