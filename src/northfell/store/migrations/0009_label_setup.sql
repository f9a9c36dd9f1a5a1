-- What the labels of a project are printed on and say beside their figures: own stock, own words, a logo.
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
