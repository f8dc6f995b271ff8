CREATE TABLE roll (
    track_id TEXT NOT NULL REFERENCES track (id),
    number INTEGER NOT NULL,
    revision INTEGER NOT NULL,
    hit_id TEXT NOT NULL,
    seed INTEGER NOT NULL,
    amount_pct REAL NOT NULL,
    only_front INTEGER NOT NULL,
    created_at TEXT NOT NULL,
    PRIMARY KEY (track_id, number),
    FOREIGN KEY (track_id, revision) REFERENCES revision (track_id, number)
) STRICT;

CREATE TABLE kept (
    id TEXT PRIMARY KEY,
    kind TEXT NOT NULL CHECK (kind IN ('hit', 'layer')),
    name TEXT NOT NULL,
    role TEXT NOT NULL,
    body TEXT NOT NULL,
    features TEXT NOT NULL,
    created_at TEXT NOT NULL,
    replaced_by TEXT REFERENCES kept (id)
) STRICT;

CREATE UNIQUE INDEX kept_name ON kept (kind, name) WHERE replaced_by IS NULL;

CREATE TRIGGER kept_is_never_removed BEFORE DELETE ON kept
BEGIN
    SELECT RAISE(ABORT, 'what is kept is never removed');
END;

CREATE TRIGGER kept_is_never_rewritten BEFORE UPDATE OF body, name, kind ON kept
BEGIN
    SELECT RAISE(ABORT, 'what is kept is never rewritten');
END;
