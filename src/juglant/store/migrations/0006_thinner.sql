-- What lies within a movement of the hand is never gone back to: it goes once the movement has ended, its ends stay.
DROP TRIGGER revision_is_never_changed;

CREATE TRIGGER revision_is_never_changed
BEFORE UPDATE OF track_id, number, label, gesture, name, body, created_at ON revision
BEGIN
    SELECT RAISE(ABORT, 'revisions are append-only');
END;

CREATE TRIGGER revision_stays_in_its_movement BEFORE UPDATE OF parent ON revision
WHEN OLD.gesture IS NULL
    OR OLD.gesture IS NOT (SELECT gesture FROM revision WHERE track_id = OLD.track_id AND number = OLD.parent)
    OR OLD.gesture IS NOT (SELECT gesture FROM revision WHERE track_id = OLD.track_id AND number = NEW.parent)
BEGIN
    SELECT RAISE(ABORT, 'revisions are append-only: only within one movement of the hand some are left out');
END;

DROP TRIGGER revision_goes_with_its_archived_track;

CREATE TRIGGER revision_goes_with_its_archived_track BEFORE DELETE ON revision
WHEN (SELECT archived_at FROM track WHERE id = OLD.track_id) IS NULL
    AND (
        OLD.gesture IS NULL
        OR OLD.gesture IS NOT (SELECT gesture FROM revision WHERE track_id = OLD.track_id AND number = OLD.parent)
        OR OLD.number = (SELECT head FROM track WHERE id = OLD.track_id)
    )
BEGIN
    SELECT RAISE(ABORT, 'revisions are append-only: only what lies within a movement, and with an archived track all, goes');
END;

CREATE TRIGGER head_is_a_revision BEFORE UPDATE OF head ON track
WHEN NOT EXISTS (SELECT 1 FROM revision WHERE track_id = NEW.id AND number = NEW.head)
BEGIN
    SELECT RAISE(ABORT, 'the head of a track is one of its revisions');
END;
