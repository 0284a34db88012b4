-- +goose Up
-- The stores' references of a title's variants, for finding it by a number.
CREATE INDEX titles_by_reference ON titles USING gin (jsonb_path_query_array(doc, '$.variants[*].ref'));

-- +goose Down
DROP INDEX titles_by_reference;
