-- +goose Up
-- What is done is found by it without reading the drafts, which are long.
CREATE INDEX deployment_done ON deployment (server_id, state, kind, number);

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
