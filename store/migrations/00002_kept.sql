-- +goose Up
-- What a workspace keeps besides features: saved views, pictures laid over the ground, sources of imagery. body is
-- JSON.
CREATE TABLE kept (
    workspace BINARY(16)      NOT NULL,
    topic     VARCHAR(20)     NOT NULL,
    id        BINARY(16)      NOT NULL,
    body      MEDIUMTEXT      NOT NULL,
    version   BIGINT UNSIGNED NOT NULL,
    PRIMARY KEY (workspace, topic, id)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;

-- Pictures by the SHA-256 of their bytes; one is never changed.
CREATE TABLE pictures (
    workspace  BINARY(16)  NOT NULL,
    hash       BINARY(32)  NOT NULL,
    media_type VARCHAR(40) NOT NULL,
    width      INT         NOT NULL,
    height     INT         NOT NULL,
    data       MEDIUMBLOB  NOT NULL,
    created_at DATETIME(6) NOT NULL,
    PRIMARY KEY (workspace, hash)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;

-- +goose Down
DROP TABLE pictures, kept;
