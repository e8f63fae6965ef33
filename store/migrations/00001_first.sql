-- +goose Up
CREATE TABLE workspaces (
    id         BINARY(16)      NOT NULL PRIMARY KEY,
    name       VARCHAR(200)    NOT NULL,
    change_no  BIGINT UNSIGNED NOT NULL DEFAULT 0,
    created_at DATETIME(6)     NOT NULL
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;

-- Tokens and sessions are kept as SHA-256 only.
CREATE TABLE credentials (
    hash       BINARY(32)   NOT NULL PRIMARY KEY,
    workspace  BINARY(16)   NOT NULL,
    kind       VARCHAR(10)  NOT NULL,
    name       VARCHAR(200) NOT NULL,
    scopes     VARCHAR(200) NOT NULL,
    origins    TEXT         NOT NULL,
    created_at DATETIME(6)  NOT NULL,
    expires_at DATETIME(6)  NULL,
    KEY (workspace)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;

CREATE TABLE collections (
    workspace   BINARY(16)      NOT NULL,
    id          VARCHAR(64)     NOT NULL,
    title       VARCHAR(200)    NOT NULL,
    description TEXT            NOT NULL,
    version     BIGINT UNSIGNED NOT NULL,
    PRIMARY KEY (workspace, id)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;

CREATE TABLE categories (
    workspace BINARY(16)      NOT NULL,
    id        VARCHAR(64)     NOT NULL,
    name      VARCHAR(200)    NOT NULL,
    glyph     VARCHAR(64)     NOT NULL,
    colour    VARCHAR(20)     NOT NULL,
    position  INT             NOT NULL,
    PRIMARY KEY (workspace, id)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;

-- A place has lat and lng, or neither while its position is unknown; a path or an area has its geometry as GeoJSON.
CREATE TABLE features (
    workspace     BINARY(16)      NOT NULL,
    id            BINARY(16)      NOT NULL,
    collection    VARCHAR(64)     NOT NULL,
    kind          VARCHAR(10)     NOT NULL,
    name          TEXT            NOT NULL,
    category      VARCHAR(64)     NOT NULL,
    lat           DECIMAL(9, 7)   NULL,
    lng           DECIMAL(10, 7)  NULL,
    geometry      MEDIUMTEXT      NULL,
    elevation_m   DOUBLE          NULL,
    accuracy_m    DOUBLE          NULL,
    source        VARCHAR(40)     NOT NULL DEFAULT '',
    fixed_at      DATETIME(6)     NULL,
    address_typed TEXT            NULL,
    address_found TEXT            NULL,
    attributes    MEDIUMTEXT      NOT NULL,
    version       BIGINT UNSIGNED NOT NULL,
    created_at    DATETIME(6)     NOT NULL,
    updated_at    DATETIME(6)     NOT NULL,
    deleted_at    DATETIME(6)     NULL,
    PRIMARY KEY (workspace, id),
    KEY (workspace, collection, id)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;

-- The change log: one number a transaction, without gaps, in the order of the commits; before and after are JSON.
CREATE TABLE changes (
    workspace  BINARY(16)      NOT NULL,
    no         BIGINT UNSIGNED NOT NULL,
    part       INT UNSIGNED    NOT NULL,
    topic      VARCHAR(20)     NOT NULL,
    collection VARCHAR(64)     NOT NULL,
    entity     VARCHAR(64)     NOT NULL,
    state_before MEDIUMTEXT    NULL,
    state_after  MEDIUMTEXT    NULL,
    actor      VARCHAR(200)    NOT NULL,
    at         DATETIME(6)     NOT NULL,
    PRIMARY KEY (workspace, no, part),
    KEY (workspace, entity)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;

CREATE TABLE idempotency (
    workspace  BINARY(16)   NOT NULL,
    request    VARCHAR(200) NOT NULL,
    digest     BINARY(32)   NOT NULL,
    feature    BINARY(16)   NOT NULL,
    created_at DATETIME(6)  NOT NULL,
    PRIMARY KEY (workspace, request)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;

-- Regions belong to the installation. The file is named by its content's hash.
CREATE TABLE regions (
    name     VARCHAR(100) NOT NULL PRIMARY KEY,
    hash     CHAR(64)     NOT NULL,
    source   VARCHAR(64)  NOT NULL DEFAULT '',
    added_at DATETIME(6)  NOT NULL
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;

-- +goose Down
DROP TABLE regions, idempotency, changes, features, categories, collections, credentials, workspaces;
