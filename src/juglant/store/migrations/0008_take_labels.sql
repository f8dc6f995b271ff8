-- What a take is called and tagged on the shelf, and what it was made of; its samples and its first name never change.
CREATE TABLE take_label (
    take_id TEXT PRIMARY KEY REFERENCES take (id) ON DELETE CASCADE,
    name TEXT,
    tags TEXT NOT NULL DEFAULT '[]',
    made_of TEXT
) STRICT;
