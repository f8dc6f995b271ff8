CREATE TABLE track (
    id TEXT PRIMARY KEY,
    created_at TEXT NOT NULL,
    head INTEGER NOT NULL,
    edition INTEGER NOT NULL
) STRICT;

CREATE TABLE revision (
    track_id TEXT NOT NULL REFERENCES track (id),
    number INTEGER NOT NULL,
    parent INTEGER,
    label TEXT NOT NULL,
    gesture TEXT,
    name TEXT NOT NULL,
    body TEXT NOT NULL,
    created_at TEXT NOT NULL,
    PRIMARY KEY (track_id, number),
    FOREIGN KEY (track_id, parent) REFERENCES revision (track_id, number)
) STRICT;

CREATE TRIGGER revision_is_never_changed BEFORE UPDATE ON revision
BEGIN
    SELECT RAISE(ABORT, 'revisions are append-only');
END;

CREATE TRIGGER revision_is_never_removed BEFORE DELETE ON revision
BEGIN
    SELECT RAISE(ABORT, 'revisions are append-only');
END;
