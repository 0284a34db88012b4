-- +goose Up
CREATE EXTENSION IF NOT EXISTS pg_trgm;

CREATE TABLE people (
    id            bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name          text NOT NULL UNIQUE CHECK (name ~ '^[a-z][a-z0-9-]{1,31}$'),
    password_hash text NOT NULL, -- argon2id in PHC form
    reviewer      boolean NOT NULL DEFAULT false,
    created       timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE tokens (
    digest    bytea PRIMARY KEY, -- SHA-256 of the token
    person_id bigint NOT NULL REFERENCES people ON DELETE CASCADE,
    created   timestamptz NOT NULL DEFAULT now(),
    expires   timestamptz NOT NULL
);

-- The layout that scs' pgxstore expects; tokens are digests here too.
CREATE TABLE sessions (
    token  text PRIMARY KEY,
    data   bytea NOT NULL,
    expiry timestamptz NOT NULL
);
CREATE INDEX sessions_expiry ON sessions (expiry);

CREATE TABLE revisions (
    number    integer PRIMARY KEY,
    previous  text NOT NULL,
    digest    text NOT NULL UNIQUE,
    published timestamptz NOT NULL,
    CHECK ((number = 0) = (previous = ''))
);

CREATE TABLE contributions (
    id              bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    person_id       bigint NOT NULL REFERENCES people,
    idempotency_key text NOT NULL,
    body_digest     bytea NOT NULL,
    body            jsonb NOT NULL, -- draft and footprint, as sent
    title           text NOT NULL,
    state           text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'accepted', 'returned')),
    submitted       timestamptz NOT NULL DEFAULT now(),
    decided_by      bigint REFERENCES people,
    decided         timestamptz,
    because         text NOT NULL DEFAULT '',
    revision        integer REFERENCES revisions,
    UNIQUE (person_id, idempotency_key),
    CHECK ((state = 'waiting') = (decided_by IS NULL)),
    CHECK ((state = 'accepted') = (revision IS NOT NULL)),
    CHECK (decided_by <> person_id) -- nobody decides on a contribution of their own
);
CREATE INDEX contributions_by_state ON contributions (state, id);
CREATE INDEX contributions_by_person ON contributions (person_id, id);

-- Each revision stores only the titles that it changed, as canonical JSON.
CREATE TABLE title_versions (
    title_id text NOT NULL,
    revision integer NOT NULL REFERENCES revisions,
    name     text NOT NULL,
    folded   text NOT NULL, -- the name as it is compared
    doc      bytea NOT NULL,
    PRIMARY KEY (title_id, revision)
);

-- The newest version of each title, for searching.
CREATE TABLE titles (
    id       text COLLATE "C" PRIMARY KEY,
    name     text NOT NULL,
    folded   text NOT NULL,
    revision integer NOT NULL,
    doc      jsonb NOT NULL
);
CREATE INDEX titles_by_name ON titles USING gin (folded gin_trgm_ops);

-- What is accepted never changes.
-- +goose StatementBegin
CREATE FUNCTION refuse_change() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION 'a published revision never changes';
END $$;
-- +goose StatementEnd
CREATE TRIGGER revisions_stay BEFORE UPDATE OR DELETE ON revisions FOR EACH ROW EXECUTE FUNCTION refuse_change();
CREATE TRIGGER title_versions_stay BEFORE UPDATE OR DELETE ON title_versions FOR EACH ROW EXECUTE FUNCTION refuse_change();

-- +goose Down
DROP TABLE titles, title_versions, contributions, revisions, sessions, tokens, people;
DROP FUNCTION refuse_change;
