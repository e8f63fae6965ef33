-- +goose Up
-- A file that was taken in: made of the changes whose numbers it lists as ranges, in JSON.
CREATE TABLE imports (
    workspace  BINARY(16)   NOT NULL,
    id         BINARY(16)   NOT NULL,
    collection VARCHAR(64)  NOT NULL,
    file       VARCHAR(400) NOT NULL,
    format     VARCHAR(20)  NOT NULL,
    state      VARCHAR(20)  NOT NULL,
    actor      VARCHAR(200) NOT NULL,
    taken      INT UNSIGNED NOT NULL DEFAULT 0,
    created    INT UNSIGNED NOT NULL DEFAULT 0,
    updated    INT UNSIGNED NOT NULL DEFAULT 0,
    unchanged  INT UNSIGNED NOT NULL DEFAULT 0,
    refused    INT UNSIGNED NOT NULL DEFAULT 0,
    changes    MEDIUMTEXT   NOT NULL,
    started_at DATETIME(6)  NOT NULL,
    stamp      DATETIME(6)  NOT NULL,
    PRIMARY KEY (workspace, id)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;

-- The rows of a file that could not be taken, each with its values and what is wrong with it, in JSON.
CREATE TABLE refused_rows (
    workspace BINARY(16)   NOT NULL,
    import    BINARY(16)   NOT NULL,
    n         INT UNSIGNED NOT NULL,
    problem   TEXT         NOT NULL,
    row_values MEDIUMTEXT  NOT NULL,
    PRIMARY KEY (workspace, import, n)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;

-- A token is one or, while it is changed for another secret, two credentials.
ALTER TABLE credentials
    ADD COLUMN token       BINARY(16)   NULL,
    ADD COLUMN collections TEXT         NULL,
    ADD COLUMN per_minute  INT UNSIGNED NOT NULL DEFAULT 0,
    ADD COLUMN per_day     INT UNSIGNED NOT NULL DEFAULT 0,
    ADD COLUMN hint        VARCHAR(20)  NOT NULL DEFAULT '',
    ADD COLUMN made_by     VARCHAR(200) NOT NULL DEFAULT '',
    ADD COLUMN signing     BINARY(32)   NULL,
    ADD COLUMN revoked_at  DATETIME(6)  NULL,
    ADD KEY (workspace, token);
UPDATE credentials SET token = id WHERE kind = 'token';
UPDATE credentials SET signing = UNHEX(SHA2(CONCAT(RAND(), UUID(), HEX(hash)), 256)) WHERE kind = 'token';
UPDATE credentials SET scopes = 'read write geocode route live publish admin' WHERE scopes = 'read write';
UPDATE credentials SET scopes = 'read geocode route' WHERE scopes = 'read';

-- A restore begins another era: whoever follows the change log begins anew.
ALTER TABLE workspaces ADD COLUMN era INT UNSIGNED NOT NULL DEFAULT 0;

-- How often a token was used, by day (UTC) and call.
CREATE TABLE token_use (
    workspace BINARY(16)      NOT NULL,
    token     BINARY(16)      NOT NULL,
    day       DATE            NOT NULL,
    `call`    VARCHAR(100)    NOT NULL,
    answered  BIGINT UNSIGNED NOT NULL,
    refused   BIGINT UNSIGNED NOT NULL,
    PRIMARY KEY (workspace, token, day, `call`)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;

-- +goose Down
DROP TABLE token_use;
ALTER TABLE workspaces DROP COLUMN era;
ALTER TABLE credentials DROP KEY workspace_2, DROP COLUMN token, DROP COLUMN collections, DROP COLUMN per_minute,
    DROP COLUMN per_day, DROP COLUMN hint, DROP COLUMN made_by, DROP COLUMN signing, DROP COLUMN revoked_at;
DROP TABLE refused_rows, imports;
