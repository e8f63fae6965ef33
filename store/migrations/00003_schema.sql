-- +goose Up
-- The attributes that a collection defines, as a JSON array; those without an entry are free.
ALTER TABLE collections ADD COLUMN attributes MEDIUMTEXT NOT NULL DEFAULT '[]';
-- A category's picture, by its hash; its glyph is drawn without one.
ALTER TABLE categories ADD COLUMN picture VARCHAR(64) NOT NULL DEFAULT '';
-- The bin is listed by when things went into it.
ALTER TABLE features ADD KEY (workspace, deleted_at);

-- +goose Down
ALTER TABLE features DROP KEY workspace_2;
ALTER TABLE categories DROP COLUMN picture;
ALTER TABLE collections DROP COLUMN attributes;
