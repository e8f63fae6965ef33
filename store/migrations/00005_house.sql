-- +goose Up
-- In which format an entry tells what was before and after, and which credential it came with.
ALTER TABLE changes
    ADD COLUMN format TINYINT UNSIGNED NOT NULL DEFAULT 1,
    ADD COLUMN actor_id BINARY(16) NULL;
-- Who comes with a credential is known by an id that is no secret.
ALTER TABLE credentials ADD COLUMN id BINARY(16) NOT NULL DEFAULT UNHEX(REPLACE(UUID(), '-', ''));
ALTER TABLE credentials ADD UNIQUE KEY (id);

-- +goose Down
ALTER TABLE credentials DROP KEY id;
ALTER TABLE credentials DROP COLUMN id;
ALTER TABLE changes DROP COLUMN actor_id, DROP COLUMN format;
