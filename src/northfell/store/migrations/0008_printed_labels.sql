-- Every arc-flash label that was printed: what it said, of which state and settings, when and by whom.
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
