-- +goose Up
ALTER TABLE people ADD COLUMN disabled timestamptz; -- null while the account can be used
ALTER TABLE tokens ADD COLUMN id bigint GENERATED ALWAYS AS IDENTITY UNIQUE;

-- The browsers that are signed in: a session counts only while its row is here.
CREATE TABLE browsers (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    person_id bigint NOT NULL REFERENCES people ON DELETE CASCADE,
    created   timestamptz NOT NULL DEFAULT now(),
    expires   timestamptz NOT NULL
);
CREATE INDEX browsers_of_person ON browsers (person_id);
CREATE INDEX browsers_expires ON browsers (expires);

-- +goose Down
DROP TABLE browsers;
ALTER TABLE tokens DROP COLUMN id;
ALTER TABLE people DROP COLUMN disabled;
