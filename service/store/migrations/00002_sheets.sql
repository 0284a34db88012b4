-- +goose Up

-- A contribution is a title's draft, or a launcher's sheet.
ALTER TABLE contributions ADD COLUMN kind text NOT NULL DEFAULT 'draft' CHECK (kind IN ('draft', 'sheet'));

-- Each revision stores only the sheets that it changed, as canonical JSON.
CREATE TABLE sheet_versions (
    sheet_id text NOT NULL,
    revision integer NOT NULL REFERENCES revisions,
    name     text NOT NULL,
    doc      bytea NOT NULL,
    PRIMARY KEY (sheet_id, revision)
);
CREATE TRIGGER sheet_versions_stay BEFORE UPDATE OR DELETE ON sheet_versions FOR EACH ROW EXECUTE FUNCTION refuse_change();

-- +goose Down
DROP TABLE sheet_versions;
ALTER TABLE contributions DROP COLUMN kind;
