-- +goose Up

-- By which locations are found that others could overlap: place.Location.Stems.
CREATE TABLE title_stems (
    stem     text COLLATE "C" NOT NULL,
    title_id text COLLATE "C" NOT NULL REFERENCES titles ON DELETE CASCADE,
    PRIMARY KEY (stem, title_id)
);
CREATE INDEX title_stems_by_title ON title_stems (title_id);

-- The revision of which a title's stems are; null if there are none. A program of an
-- earlier version leaves them behind.
ALTER TABLE titles ADD COLUMN stemmed integer;
ALTER TABLE titles ADD COLUMN unstemmed boolean NOT NULL GENERATED ALWAYS AS (stemmed IS DISTINCT FROM revision) STORED;
CREATE INDEX titles_unstemmed ON titles (id) WHERE unstemmed;

-- Which place.StemsVersion they are of.
CREATE TABLE stems_made (version integer NOT NULL);

-- +goose Down
DROP TABLE title_stems, stems_made;
ALTER TABLE titles DROP COLUMN unstemmed, DROP COLUMN stemmed;
