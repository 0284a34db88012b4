-- +goose Up
-- How often something may be done, by whom: see store.Take. What is lost in a crash is
-- some patience.
CREATE UNLOGGED TABLE limits (
    key text PRIMARY KEY, -- the limit's name, and whose use it counts
    due timestamptz NOT NULL
);
CREATE INDEX limits_due ON limits (due);
CREATE INDEX tokens_expires ON tokens (expires);
CREATE INDEX tokens_of_person ON tokens (person_id);

-- +goose Down
DROP TABLE limits;
DROP INDEX tokens_expires, tokens_of_person;
