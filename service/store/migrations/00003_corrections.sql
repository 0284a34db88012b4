-- +goose Up
-- What people say of the kinds of a contribution's files, against the judgement.
CREATE TABLE corrections (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    contribution_id bigint NOT NULL REFERENCES contributions (id),
    person_id bigint NOT NULL REFERENCES people (id),
    file text NOT NULL,
    kind text NOT NULL,
    because text NOT NULL,
    made timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX corrections_of_contribution ON corrections (contribution_id, id);

-- +goose Down
DROP TABLE corrections;
