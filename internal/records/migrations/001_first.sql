-- +goose Up
-- Times are UTC milliseconds. Digests are hexadecimal SHA-256. Order is always
-- an id or a sequence, never a time.

CREATE TABLE rulebook_revision (
    id         INTEGER PRIMARY KEY,
    name       TEXT NOT NULL,
    number     INTEGER NOT NULL,
    title      TEXT NOT NULL,
    text       BLOB NOT NULL,
    digest     TEXT NOT NULL,
    actor      TEXT NOT NULL,
    created_at INTEGER NOT NULL,
    dropped_at INTEGER,
    UNIQUE (name, number)
);

CREATE TABLE server (
    id          INTEGER PRIMARY KEY,
    name        TEXT NOT NULL,
    rulebook    TEXT NOT NULL,
    transport   TEXT NOT NULL,                -- JSON, without secrets
    variables   TEXT NOT NULL DEFAULT '{}',   -- JSON
    facts       TEXT NOT NULL DEFAULT '{}',   -- JSON: game version, loader, address, ports
    host_key    TEXT NOT NULL DEFAULT '',     -- confirmed by a person
    seen_key    TEXT NOT NULL DEFAULT '',     -- last offered, not confirmed
    abilities   TEXT,                         -- JSON, from "server test"
    next_number INTEGER NOT NULL DEFAULT 1,
    created_at  INTEGER NOT NULL,
    dropped_at  INTEGER
);
CREATE UNIQUE INDEX server_name ON server (name) WHERE dropped_at IS NULL;

CREATE TABLE secret (
    server_id INTEGER NOT NULL REFERENCES server (id),
    name      TEXT NOT NULL,                  -- key, passphrase, password
    sealed    BLOB NOT NULL,
    PRIMARY KEY (server_id, name)
);

-- The stockroom: a content lies at one or more locations.
CREATE TABLE container (
    id   INTEGER PRIMARY KEY,
    name TEXT NOT NULL UNIQUE,
    kind TEXT NOT NULL                        -- archive, pack, segment
);
CREATE TABLE location (
    digest       TEXT NOT NULL,
    container_id INTEGER NOT NULL REFERENCES container (id),
    start        INTEGER NOT NULL,
    length       INTEGER NOT NULL,
    size         INTEGER NOT NULL,
    method       TEXT NOT NULL,
    PRIMARY KEY (digest, container_id, start)
);
CREATE INDEX location_container ON location (container_id);

CREATE TABLE archive (
    id           INTEGER PRIMARY KEY,
    digest       TEXT NOT NULL UNIQUE,
    size         INTEGER NOT NULL,
    filename     TEXT NOT NULL,
    format       TEXT NOT NULL,
    source       TEXT NOT NULL DEFAULT '',
    note         TEXT NOT NULL DEFAULT '',
    container_id INTEGER NOT NULL REFERENCES container (id),
    actor        TEXT NOT NULL,
    created_at   INTEGER NOT NULL
);
CREATE TABLE archive_entry (
    archive_id INTEGER NOT NULL REFERENCES archive (id) ON DELETE CASCADE,
    path       TEXT NOT NULL,
    dir        INTEGER NOT NULL,
    size       INTEGER NOT NULL,
    digest     TEXT NOT NULL,
    exec       INTEGER NOT NULL,
    PRIMARY KEY (archive_id, path)
);

CREATE TABLE addon (
    id       INTEGER PRIMARY KEY,
    rulebook TEXT NOT NULL,
    key      TEXT NOT NULL,
    name     TEXT NOT NULL,
    UNIQUE (rulebook, key)
);
CREATE TABLE addon_alias (
    rulebook TEXT NOT NULL,
    key      TEXT NOT NULL,
    addon_id INTEGER NOT NULL REFERENCES addon (id),
    PRIMARY KEY (rulebook, key)
);

CREATE TABLE crate (
    id          INTEGER PRIMARY KEY,
    digest      TEXT NOT NULL UNIQUE,
    addon_id    INTEGER NOT NULL REFERENCES addon (id),
    version     TEXT NOT NULL,
    revision_id INTEGER NOT NULL REFERENCES rulebook_revision (id),
    body        TEXT NOT NULL,                -- JSON: the layout with every reason
    findings    TEXT NOT NULL,                -- JSON
    actor       TEXT NOT NULL,
    created_at  INTEGER NOT NULL,
    dropped_at  INTEGER
);
CREATE INDEX crate_addon ON crate (addon_id);
CREATE TABLE crate_archive (
    crate_id   INTEGER NOT NULL REFERENCES crate (id),
    archive_id INTEGER NOT NULL REFERENCES archive (id),
    PRIMARY KEY (crate_id, archive_id)
);
-- What one revision made of one archive under some corrections.
CREATE TABLE layout (
    archive_id  INTEGER NOT NULL REFERENCES archive (id) ON DELETE CASCADE,
    revision_id INTEGER NOT NULL REFERENCES rulebook_revision (id),
    corrections TEXT NOT NULL DEFAULT '',     -- digest of the corrections applied
    crate_id    INTEGER REFERENCES crate (id),
    findings    TEXT NOT NULL,
    PRIMARY KEY (archive_id, revision_id, corrections)
);

CREATE TABLE deployment (
    id         INTEGER PRIMARY KEY,
    server_id  INTEGER NOT NULL REFERENCES server (id),
    number     INTEGER NOT NULL,
    kind       TEXT NOT NULL,                 -- deploy, remove, rollback
    title      TEXT NOT NULL,
    state      TEXT NOT NULL,
    ask        TEXT NOT NULL,                 -- JSON: what was asked for, to draft it again
    digest     TEXT NOT NULL,
    draft      TEXT NOT NULL,                 -- JSON, whole
    accepts    TEXT NOT NULL DEFAULT '[]',    -- JSON
    actor      TEXT NOT NULL,
    runner     TEXT NOT NULL DEFAULT '',
    trouble    TEXT NOT NULL DEFAULT '',      -- what halted it
    notes      TEXT NOT NULL DEFAULT '[]',    -- JSON: what a run or an undo has to say
    figures    TEXT NOT NULL DEFAULT '{}',    -- JSON
    untidy     INTEGER NOT NULL DEFAULT 0,    -- done, but set-aside files are still on the server
    created_at INTEGER NOT NULL,
    started_at INTEGER,
    ended_at   INTEGER,
    UNIQUE (server_id, number)
);

CREATE TABLE motion (
    deployment_id INTEGER NOT NULL REFERENCES deployment (id),
    leg           INTEGER NOT NULL,
    motion        INTEGER NOT NULL,
    state         TEXT NOT NULL,              -- intended, done, undone
    result        TEXT NOT NULL DEFAULT '{}', -- JSON
    PRIMARY KEY (deployment_id, leg, motion)
) WITHOUT ROWID;

-- The ledger: append-only events, and the state derived from them.
CREATE TABLE ledger_event (
    seq           INTEGER PRIMARY KEY AUTOINCREMENT,
    server_id     INTEGER NOT NULL REFERENCES server (id),
    path          TEXT NOT NULL,
    before        TEXT NOT NULL,
    after         TEXT NOT NULL,
    claims_before TEXT NOT NULL,
    claims_after  TEXT NOT NULL,
    cause         TEXT NOT NULL,              -- deployment, adoption, survey
    deployment_id INTEGER REFERENCES deployment (id),
    actor         TEXT NOT NULL,
    at            INTEGER NOT NULL
);
CREATE INDEX ledger_event_path ON ledger_event (server_id, path, seq);
CREATE INDEX ledger_event_deployment ON ledger_event (deployment_id);
CREATE TRIGGER ledger_event_kept BEFORE UPDATE ON ledger_event
BEGIN SELECT RAISE(ABORT, 'ledger events are never changed'); END;
CREATE TRIGGER ledger_event_stays BEFORE DELETE ON ledger_event
BEGIN SELECT RAISE(ABORT, 'ledger events are never removed'); END;

CREATE TABLE ledger_path (
    server_id INTEGER NOT NULL REFERENCES server (id),
    path      TEXT NOT NULL,
    state     TEXT NOT NULL,
    reported  TEXT NOT NULL DEFAULT '{}',     -- JSON: size and time as the host said them
    seq       INTEGER NOT NULL,               -- the event that made it so
    PRIMARY KEY (server_id, path)
) WITHOUT ROWID;
CREATE TABLE ledger_claim (
    server_id INTEGER NOT NULL,
    path      TEXT NOT NULL,
    addon     TEXT NOT NULL,
    label     TEXT NOT NULL,
    crate     TEXT NOT NULL,
    role      TEXT NOT NULL,
    PRIMARY KEY (server_id, path, addon),
    FOREIGN KEY (server_id, path) REFERENCES ledger_path (server_id, path) ON DELETE CASCADE
) WITHOUT ROWID;
CREATE INDEX ledger_claim_addon ON ledger_claim (server_id, addon);
CREATE INDEX ledger_claim_crate ON ledger_claim (crate);

CREATE TABLE job (
    id         TEXT PRIMARY KEY,
    kind       TEXT NOT NULL,
    subject    TEXT NOT NULL DEFAULT '',
    state      TEXT NOT NULL,                 -- running, done, failed
    result     TEXT NOT NULL DEFAULT 'null',
    problem    TEXT NOT NULL DEFAULT 'null',
    actor      TEXT NOT NULL,
    created_at INTEGER NOT NULL,
    ended_at   INTEGER
);
CREATE TABLE job_event (
    job_id TEXT NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    number INTEGER NOT NULL,
    kind   TEXT NOT NULL,
    data   TEXT NOT NULL,
    at     INTEGER NOT NULL,
    PRIMARY KEY (job_id, number)
) WITHOUT ROWID;

CREATE TABLE token (
    id         INTEGER PRIMARY KEY,
    name       TEXT NOT NULL,
    hash       TEXT NOT NULL UNIQUE,
    created_at INTEGER NOT NULL
);
CREATE TABLE signin_link (
    hash       TEXT PRIMARY KEY,
    actor      TEXT NOT NULL,
    expires_at INTEGER NOT NULL,
    used_at    INTEGER
);
CREATE TABLE session (
    token      TEXT PRIMARY KEY,
    data       BLOB NOT NULL,
    expires_at INTEGER NOT NULL
);
CREATE TABLE idempotency (
    actor      TEXT NOT NULL,
    key        TEXT NOT NULL,
    request    TEXT NOT NULL,                 -- digest of method, path and body
    status     INTEGER NOT NULL DEFAULT 0,    -- 0 while the first one is under way
    answer     BLOB,
    created_at INTEGER NOT NULL,
    PRIMARY KEY (actor, key)
);

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
