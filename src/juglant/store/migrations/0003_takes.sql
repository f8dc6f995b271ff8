CREATE TABLE take (
    id TEXT PRIMARY KEY,
    name TEXT NOT NULL,
    sample_rate INTEGER NOT NULL,
    channels INTEGER NOT NULL,
    frames INTEGER NOT NULL,
    body BLOB NOT NULL,
    created_at TEXT NOT NULL
) STRICT;

CREATE TRIGGER take_is_never_changed BEFORE UPDATE ON take
BEGIN
    SELECT RAISE(ABORT, 'takes are never changed');
END;

CREATE TRIGGER take_is_never_removed BEFORE DELETE ON take
BEGIN
    SELECT RAISE(ABORT, 'takes are never removed');
END;
