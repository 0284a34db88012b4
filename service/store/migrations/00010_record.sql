-- +goose Up
-- The record starts afresh here: what earlier versions kept is dropped.
DROP TABLE IF EXISTS stems_made, title_stems, corrections, sheet_versions, title_versions, titles, contributions,
    revisions, browsers, limits, sessions, tokens, people CASCADE;
DROP FUNCTION IF EXISTS refuse_change CASCADE;
CREATE EXTENSION IF NOT EXISTS pg_trgm;

-- The lowest store.Writes of a program that may write here: an older one would drop what
-- it does not know.
CREATE TABLE writing (lowest integer NOT NULL);
INSERT INTO writing VALUES (1);

CREATE TABLE people (
    id            bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    opaque        text NOT NULL UNIQUE DEFAULT replace(gen_random_uuid()::text, '-', ''), -- their id in records, for ever
    name          text NOT NULL UNIQUE CHECK (name ~ '^[a-z][a-z0-9-]{1,31}$'),
    password_hash text NOT NULL, -- argon2id in PHC form
    reviewer      boolean NOT NULL DEFAULT false,
    created       timestamptz NOT NULL DEFAULT now(),
    disabled      timestamptz, -- null while the account can be used
    forgotten     timestamptz  -- their name is gone then
);

CREATE TABLE tokens (
    id        bigint GENERATED ALWAYS AS IDENTITY UNIQUE,
    digest    bytea PRIMARY KEY, -- SHA-256 of the token
    person_id bigint NOT NULL REFERENCES people ON DELETE CASCADE,
    created   timestamptz NOT NULL DEFAULT now(),
    expires   timestamptz NOT NULL
);
CREATE INDEX tokens_expires ON tokens (expires);
CREATE INDEX tokens_of_person ON tokens (person_id);

-- The layout that scs' pgxstore expects; tokens are digests here too.
CREATE TABLE sessions (
    token  text PRIMARY KEY,
    data   bytea NOT NULL,
    expiry timestamptz NOT NULL
);
CREATE INDEX sessions_expiry ON sessions (expiry);

-- The browsers that are signed in: a session counts only while its row is here.
CREATE TABLE browsers (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    person_id bigint NOT NULL REFERENCES people ON DELETE CASCADE,
    created   timestamptz NOT NULL DEFAULT now(),
    expires   timestamptz NOT NULL
);
CREATE INDEX browsers_of_person ON browsers (person_id);
CREATE INDEX browsers_expires ON browsers (expires);

-- How often something may be done, by whom: see store.Take. What is lost in a crash is
-- some patience.
CREATE UNLOGGED TABLE limits (
    key text PRIMARY KEY, -- the limit's name, and whose use it counts
    due timestamptz NOT NULL
);
CREATE INDEX limits_due ON limits (due);

-- The last number of what is numbered without gaps.
CREATE TABLE counters (name text PRIMARY KEY, last bigint NOT NULL);
INSERT INTO counters VALUES ('contribution', 0);

-- The columns are those by which lists are made; what was sent lies beside.
CREATE TABLE contributions (
    id              bigint PRIMARY KEY,
    person_id       bigint NOT NULL REFERENCES people,
    idempotency_key text NOT NULL,
    body_digest     bytea NOT NULL, -- SHA-256 of what was sent
    kind            text NOT NULL,
    title           text NOT NULL, -- its name, or the launcher's
    title_id        text COLLATE "C" NOT NULL DEFAULT '', -- once it is known
    store           text NOT NULL DEFAULT '',
    ref             text NOT NULL DEFAULT '',
    system          text NOT NULL DEFAULT '',
    statement       text NOT NULL, -- what it asks for, in words
    state           text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'accepted', 'returned')),
    submitted       timestamptz NOT NULL DEFAULT now(),
    decided_by      bigint REFERENCES people,
    decided         timestamptz,
    because         text NOT NULL DEFAULT '',
    UNIQUE (person_id, idempotency_key),
    CHECK ((state = 'waiting') = (decided_by IS NULL)),
    CHECK (decided_by <> person_id) -- nobody decides on a contribution of their own
);
CREATE INDEX contributions_by_state ON contributions (state, id);
CREATE INDEX contributions_by_person ON contributions (person_id, id);
CREATE INDEX contributions_by_title ON contributions (title_id, id) WHERE title_id <> '';
CREATE INDEX contributions_waiting_by_person ON contributions (person_id) WHERE state = 'waiting';

-- What was sent, to the letter, compressed with zstd. A part holds the bodies of so many
-- numbers, so that old ones can be detached and moved away: see store.EnsureParts.
CREATE TABLE bodies (
    contribution_id bigint PRIMARY KEY,
    body            bytea NOT NULL
) PARTITION BY RANGE (contribution_id);
ALTER TABLE bodies ALTER COLUMN body SET STORAGE EXTERNAL;
CREATE TABLE bodies_rest PARTITION OF bodies DEFAULT;

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

-- Titles as they are now.
CREATE TABLE titles (
    id             text COLLATE "C" PRIMARY KEY CHECK (id ~ '^[0-9a-f]{16}$'),
    name           text NOT NULL,
    folded         text COLLATE "C" NOT NULL, -- the name as it is compared
    merged_into    text COLLATE "C" REFERENCES titles,
    version        integer NOT NULL, -- counts changes
    published      integer NOT NULL DEFAULT 0, -- the version that is published; 0 if none is
    doc            bytea NOT NULL, -- core/record, canonical JSON
    shown          bytea NOT NULL, -- core/manifest, canonical JSON: what is to be published
    shown_until    timestamptz, -- when shown changes by itself
    stems_version  integer NOT NULL -- place.StemsVersion of its stems
);
CREATE INDEX titles_by_name ON titles (folded, id) WHERE merged_into IS NULL;
CREATE INDEX titles_to_publish ON titles (id) WHERE published <> version;
CREATE INDEX titles_to_show_again ON titles (shown_until);
CREATE INDEX titles_by_stems ON titles (stems_version, id);

-- All names of titles that are not merged.
CREATE TABLE title_names (
    title_id text COLLATE "C" NOT NULL REFERENCES titles,
    folded   text COLLATE "C" NOT NULL,
    plain    text COLLATE "C" NOT NULL, -- without punctuation
    PRIMARY KEY (title_id, folded)
);
CREATE INDEX title_names_folded ON title_names (folded, title_id);
CREATE INDEX title_names_plain ON title_names (plain, title_id);
CREATE INDEX title_names_similar ON title_names USING gin (folded gin_trgm_ops);

-- An edition belongs to one title.
CREATE TABLE editions (
    store    text COLLATE "C" NOT NULL,
    ref      text COLLATE "C" NOT NULL,
    title_id text COLLATE "C" NOT NULL REFERENCES titles,
    PRIMARY KEY (ref, store)
);
CREATE INDEX editions_of_title ON editions (title_id);

-- By which locations are found that others could overlap: place.Location.Stems.
CREATE TABLE title_stems (
    stem     text COLLATE "C" NOT NULL,
    title_id text COLLATE "C" NOT NULL REFERENCES titles,
    PRIMARY KEY (stem, title_id)
);
CREATE INDEX title_stems_by_title ON title_stems (title_id);

-- Every state that a title had, as core/record compressed with zstd, and what made it.
CREATE TABLE title_versions (
    title_id        text COLLATE "C" NOT NULL REFERENCES titles,
    version         integer NOT NULL,
    contribution_id bigint NOT NULL REFERENCES contributions,
    accepted        timestamptz NOT NULL,
    doc             bytea NOT NULL,
    PRIMARY KEY (title_id, version)
);
CREATE INDEX title_versions_of_contribution ON title_versions (contribution_id);

-- Launchers' sheets, in the same way.
CREATE TABLE sheets (
    id        text COLLATE "C" PRIMARY KEY,
    name      text NOT NULL,
    version   integer NOT NULL,
    published integer NOT NULL DEFAULT 0,
    doc       bytea NOT NULL
);
CREATE TABLE sheet_versions (
    sheet_id        text COLLATE "C" NOT NULL REFERENCES sheets,
    version         integer NOT NULL,
    contribution_id bigint NOT NULL REFERENCES contributions,
    accepted        timestamptz NOT NULL,
    doc             bytea NOT NULL,
    PRIMARY KEY (sheet_id, version)
);
CREATE INDEX sheet_versions_of_contribution ON sheet_versions (contribution_id);

-- What was published.
CREATE TABLE revisions (
    number    integer PRIMARY KEY,
    published timestamptz NOT NULL,
    because   text NOT NULL, -- accepted, signed-again or standing
    titles    integer NOT NULL,
    sheets    integer NOT NULL,
    digest    text NOT NULL -- SHA-256 of its targets metadata
);
CREATE TABLE revision_titles (
    revision integer NOT NULL REFERENCES revisions,
    title_id text COLLATE "C" NOT NULL REFERENCES titles,
    version  integer NOT NULL,
    PRIMARY KEY (revision, title_id)
);
CREATE INDEX revision_titles_of_title ON revision_titles (title_id, version);
CREATE TABLE revision_sheets (
    revision integer NOT NULL REFERENCES revisions,
    sheet_id text COLLATE "C" NOT NULL REFERENCES sheets,
    version  integer NOT NULL,
    PRIMARY KEY (revision, sheet_id)
);

-- The shards of the newest revision.
CREATE TABLE shards (
    name   text PRIMARY KEY,
    digest bytea NOT NULL,
    length bigint NOT NULL,
    titles integer NOT NULL -- without those that were merged
);

-- The published tree. replaced is since when the newest revision does not name the file.
CREATE TABLE published_files (
    path     text COLLATE "C" PRIMARY KEY,
    data     bytea NOT NULL,
    made     timestamptz NOT NULL DEFAULT now(),
    replaced timestamptz
);
ALTER TABLE published_files ALTER COLUMN data SET STORAGE EXTERNAL;
CREATE INDEX published_files_replaced ON published_files (replaced) WHERE replaced IS NOT NULL;

-- The one file that changes, and when what was signed has to be signed again.
CREATE TABLE publication (
    timestamp_version bigint NOT NULL,
    timestamp         bytea NOT NULL,
    timestamp_again   timestamptz NOT NULL,
    revision_again    timestamptz NOT NULL,
    root_version      bigint NOT NULL
);

-- What is accepted or published never changes.
-- +goose StatementBegin
CREATE FUNCTION refuse_change() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION 'what is accepted or published never changes';
END $$;
-- +goose StatementEnd
CREATE TRIGGER revisions_stay BEFORE UPDATE OR DELETE ON revisions FOR EACH ROW EXECUTE FUNCTION refuse_change();
CREATE TRIGGER title_versions_stay BEFORE UPDATE OR DELETE ON title_versions FOR EACH ROW EXECUTE FUNCTION refuse_change();
CREATE TRIGGER sheet_versions_stay BEFORE UPDATE OR DELETE ON sheet_versions FOR EACH ROW EXECUTE FUNCTION refuse_change();
CREATE TRIGGER bodies_stay BEFORE UPDATE ON bodies FOR EACH ROW EXECUTE FUNCTION refuse_change();
CREATE TRIGGER published_files_stay BEFORE UPDATE OF path, data ON published_files FOR EACH ROW EXECUTE FUNCTION refuse_change();

-- +goose Down
DROP TABLE publication, published_files, shards, revision_sheets, revision_titles, revisions, sheet_versions, sheets,
    title_versions, title_stems, editions, title_names, titles, corrections, bodies, contributions, counters, limits,
    browsers, sessions, tokens, people, writing;
DROP FUNCTION refuse_change;
