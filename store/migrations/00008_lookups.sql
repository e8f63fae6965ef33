-- +goose Up
-- Addresses of a collection that are being looked up: made of the changes whose numbers it lists as ranges, in JSON.
-- Whoever holds it works on it, until the time that is noted; then another may.
CREATE TABLE lookups (
    workspace  BINARY(16)   NOT NULL,
    id         BINARY(16)   NOT NULL,
    collection VARCHAR(64)  NOT NULL,
    state      VARCHAR(20)  NOT NULL,
    trouble    VARCHAR(400) NOT NULL DEFAULT '',
    actor      VARCHAR(200) NOT NULL,
    total      INT UNSIGNED NOT NULL,
    placed     INT UNSIGNED NOT NULL DEFAULT 0,
    doubtful   INT UNSIGNED NOT NULL DEFAULT 0,
    nothing    INT UNSIGNED NOT NULL DEFAULT 0,
    changes    MEDIUMTEXT   NOT NULL,
    started_at DATETIME(6)  NOT NULL,
    stamp      DATETIME(6)  NOT NULL,
    holder     BINARY(16)   NULL,
    held_until DATETIME(6)  NULL,
    PRIMARY KEY (workspace, id),
    KEY (state)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;

-- +goose Down
DROP TABLE lookups;
