ALTER TABLE track ADD COLUMN archived_at TEXT;

ALTER TABLE take ADD COLUMN archived_at TEXT;

DROP TRIGGER revision_is_never_removed;

CREATE TRIGGER revision_goes_with_its_archived_track BEFORE DELETE ON revision
WHEN (SELECT archived_at FROM track WHERE id = OLD.track_id) IS NULL
BEGIN
    SELECT RAISE(ABORT, 'revisions are append-only: only those of an archived track are removed, with it');
END;

CREATE TRIGGER track_is_archived_first BEFORE DELETE ON track
WHEN OLD.archived_at IS NULL
BEGIN
    SELECT RAISE(ABORT, 'a track is archived before it is removed');
END;

DROP TRIGGER take_is_never_changed;

CREATE TRIGGER take_is_never_changed BEFORE UPDATE OF id, name, sample_rate, channels, frames, body, created_at ON take
BEGIN
    SELECT RAISE(ABORT, 'takes are never changed');
END;

DROP TRIGGER take_is_never_removed;

CREATE TRIGGER take_is_archived_first BEFORE DELETE ON take
WHEN OLD.archived_at IS NULL
BEGIN
    SELECT RAISE(ABORT, 'a take is archived before it is removed');
END;

CREATE TABLE take_figures (
    take_id TEXT PRIMARY KEY REFERENCES take (id) ON DELETE CASCADE,
    figures TEXT NOT NULL
) STRICT;
