-- +goose Up
-- What was read of a submission, as canonical JSON: the bytes that were checked.
ALTER TABLE contributions ALTER COLUMN body TYPE bytea USING convert_to(body::text, 'UTF8');

-- +goose Down
ALTER TABLE contributions ALTER COLUMN body TYPE jsonb USING convert_from(body, 'UTF8')::jsonb;
