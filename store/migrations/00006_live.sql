-- +goose Up
-- Who shares positions in a party, with the position known last: it is written over, never kept.
CREATE TABLE members (
    workspace   BINARY(16)   NOT NULL,
    id          BINARY(16)   NOT NULL,
    party       BINARY(16)   NOT NULL,
    name        VARCHAR(100) NOT NULL,
    picture     VARCHAR(64)  NOT NULL DEFAULT '',
    sharing     BOOLEAN      NOT NULL,
    joined_at   DATETIME(6)  NOT NULL,
    left_at     DATETIME(6)  NULL,
    lat         DOUBLE       NULL,
    lng         DOUBLE       NULL,
    accuracy_m  DOUBLE       NULL,
    altitude_m  DOUBLE       NULL,
    heading_deg DOUBLE       NULL,
    speed_mps   DOUBLE       NULL,
    fixed_at    DATETIME(6)  NULL,
    -- Which process wrote it last, and when by the database's clock: so that others hear of it.
    process     BINARY(16)   NOT NULL,
    stamp       DATETIME(6)  NOT NULL,
    PRIMARY KEY (workspace, id),
    KEY (stamp)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;

-- Tracks of parties that keep one, for as long as they say.
CREATE TABLE tracks (
    workspace  BINARY(16)  NOT NULL,
    member     BINARY(16)  NOT NULL,
    fixed_at   DATETIME(6) NOT NULL,
    lat        DOUBLE      NOT NULL,
    lng        DOUBLE      NOT NULL,
    altitude_m DOUBLE      NULL,
    until      DATETIME(6) NOT NULL,
    PRIMARY KEY (workspace, member, fixed_at),
    KEY (until)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;

-- Which process looks at a workspace's watches, the number of their last event, and of the last change looked at.
CREATE TABLE lookouts (
    workspace BINARY(16)      NOT NULL PRIMARY KEY,
    holder    BINARY(16)      NOT NULL,
    until     DATETIME(6)     NOT NULL,
    no        BIGINT UNSIGNED NOT NULL,
    change_no BIGINT UNSIGNED NOT NULL
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;

-- What is in a watch: people, and places where its centre moves.
CREATE TABLE watched (
    workspace BINARY(16)  NOT NULL,
    watch     BINARY(16)  NOT NULL,
    thing     BINARY(16)  NOT NULL,
    place     BOOLEAN     NOT NULL,
    of        VARCHAR(64) NOT NULL,
    PRIMARY KEY (workspace, watch, thing)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;

CREATE TABLE sightings (
    workspace   BINARY(16)      NOT NULL,
    no          BIGINT UNSIGNED NOT NULL,
    watch       BINARY(16)      NOT NULL,
    thing       BINARY(16)      NOT NULL,
    place       BOOLEAN         NOT NULL,
    of          VARCHAR(64)     NOT NULL,
    name        VARCHAR(400)    NOT NULL,
    enters      BOOLEAN         NOT NULL,
    why         VARCHAR(20)     NOT NULL,
    lat         DOUBLE          NULL,
    lng         DOUBLE          NULL,
    accuracy_m  DOUBLE          NULL,
    distance_m  DOUBLE          NULL,
    at          DATETIME(6)     NOT NULL,
    recorded_at DATETIME(6)     NOT NULL,
    PRIMARY KEY (workspace, no),
    KEY (recorded_at)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;

-- +goose Down
DROP TABLE sightings, watched, lookouts, tracks, members;
