CREATE INDEX revision_by_parent ON revision (track_id, parent, number);
