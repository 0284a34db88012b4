-- +goose Up
-- Searching and lists. A process of an earlier version that is still running does not know
-- of these: what it changes has another found_version, until store.findAll makes up for it.
ALTER TABLE titles
    ADD COLUMN IF NOT EXISTS listed bytea, -- what lists show of it: store.Listed as JSON
    ADD COLUMN found_version integer NOT NULL DEFAULT 0; -- the version of which listed and title_words are
ALTER TABLE titles ALTER COLUMN listed DROP NOT NULL;
CREATE INDEX titles_to_find ON titles (id) WHERE found_version <> version;

-- The names from their second, third… word on, so that a name is found by the beginning of
-- each of its words.
CREATE TABLE IF NOT EXISTS title_words (
    title_id text COLLATE "C" NOT NULL REFERENCES titles,
    rest     text COLLATE "C" NOT NULL,
    folded   text COLLATE "C" NOT NULL, -- the whole name
    PRIMARY KEY (title_id, rest)
);
CREATE INDEX IF NOT EXISTS title_words_rest ON title_words (rest, title_id);

-- +goose Down
DROP TABLE title_words;
ALTER TABLE titles DROP COLUMN found_version, DROP COLUMN listed;
