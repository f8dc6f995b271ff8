-- A roll of more like a sound, or of less like it: what it sets out from, and what it keeps away from.
ALTER TABLE roll ADD COLUMN like_side TEXT CHECK (like_side IN ('more', 'less'));
ALTER TABLE roll ADD COLUMN like_name TEXT;
ALTER TABLE roll ADD COLUMN base TEXT;
ALTER TABLE roll ADD COLUMN unlike TEXT;
