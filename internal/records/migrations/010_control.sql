-- +goose Up
-- How a server is stopped, started and spoken to. JSON, without secrets.
ALTER TABLE server ADD COLUMN control TEXT;

-- What roll calls found, the newest last.
CREATE TABLE roll_call (
    id            INTEGER PRIMARY KEY,
    server_id     INTEGER NOT NULL REFERENCES server (id),
    deployment_id INTEGER REFERENCES deployment (id),
    roll          TEXT NOT NULL,              -- JSON
    seq           INTEGER NOT NULL,           -- the last ledger event before it
    actor         TEXT NOT NULL,
    at            INTEGER NOT NULL
);
CREATE INDEX roll_call_server ON roll_call (server_id, id);

-- That a person saw an add-on work in the game.
CREATE TABLE confirmation (
    server_id INTEGER NOT NULL REFERENCES server (id),
    addon     TEXT NOT NULL,
    crate     TEXT NOT NULL,
    note      TEXT NOT NULL,
    actor     TEXT NOT NULL,
    at        INTEGER NOT NULL,
    PRIMARY KEY (server_id, addon, crate)
);

-- What a person has done by hand on a server, so that it is not asked again.
CREATE TABLE ticked (
    server_id INTEGER NOT NULL REFERENCES server (id),
    text      TEXT NOT NULL,
    actor     TEXT NOT NULL,
    at        INTEGER NOT NULL,
    PRIMARY KEY (server_id, text)
);

-- What a deployment found out after it was done.
ALTER TABLE deployment ADD COLUMN aftermath TEXT NOT NULL DEFAULT '[]';  -- JSON: findings

-- +goose Down
ALTER TABLE deployment DROP COLUMN aftermath;
DROP TABLE ticked;
DROP TABLE confirmation;
DROP TABLE roll_call;
ALTER TABLE server DROP COLUMN control;
