-- +goose Up
-- Categories have a version as everything else does.
ALTER TABLE categories ADD COLUMN version BIGINT UNSIGNED NOT NULL DEFAULT 1;
-- The answer to a request that came with a key, so that the same request again gets it again.
DROP TABLE idempotency;
CREATE TABLE answers (
    workspace  BINARY(16)     NOT NULL,
    request    VARBINARY(200) NOT NULL,
    digest     BINARY(32)     NOT NULL,
    answer     MEDIUMTEXT     NOT NULL,
    created_at DATETIME(6)    NOT NULL,
    PRIMARY KEY (workspace, request),
    KEY (created_at)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;

-- +goose Down
DROP TABLE answers;
ALTER TABLE categories DROP COLUMN version;
CREATE TABLE idempotency (
    workspace  BINARY(16)   NOT NULL,
    request    VARCHAR(200) NOT NULL,
    digest     BINARY(32)   NOT NULL,
    feature    BINARY(16)   NOT NULL,
    created_at DATETIME(6)  NOT NULL,
    PRIMARY KEY (workspace, request)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;
