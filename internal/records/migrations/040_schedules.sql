-- +goose Up
-- What is done on servers by itself at its time, and what came of it.
CREATE TABLE schedule (
    id        INTEGER PRIMARY KEY,
    name      TEXT NOT NULL UNIQUE,
    server_id INTEGER NOT NULL REFERENCES server (id),
    does      TEXT NOT NULL,              -- deploy, update, survey or restart
    ask       TEXT NOT NULL,              -- JSON: what is to be deployed, and how
    cron      TEXT NOT NULL,              -- empty for once
    zone      TEXT NOT NULL,              -- of IANA
    window_ms INTEGER NOT NULL,           -- how late it may still begin
    empty     INTEGER NOT NULL,           -- only while nobody is on
    warnings  TEXT NOT NULL,              -- JSON
    actor     TEXT NOT NULL,
    at        INTEGER NOT NULL,
    next_at   INTEGER                     -- NULL where it is over
);
CREATE TABLE schedule_run (
    id          INTEGER PRIMARY KEY,
    schedule_id INTEGER NOT NULL REFERENCES schedule (id) ON DELETE CASCADE,
    due_at      INTEGER NOT NULL,
    began_at    INTEGER,
    ended_at    INTEGER,
    state       TEXT NOT NULL,            -- running, done, nothing, failed, missed, occupied, broken
    words       TEXT NOT NULL DEFAULT '',
    deployment  TEXT NOT NULL DEFAULT ''
);
CREATE INDEX schedule_run_of ON schedule_run (schedule_id, id);

-- Where results are told: to a web address, by mail, or in a feed.
CREATE TABLE notice (
    id        INTEGER PRIMARY KEY,
    name      TEXT NOT NULL UNIQUE,
    way       TEXT NOT NULL,              -- JSON
    secret    BLOB,                       -- sealed
    successes INTEGER NOT NULL,           -- what went well is told too
    actor     TEXT NOT NULL,
    at        INTEGER NOT NULL,
    told_at   INTEGER,
    trouble   TEXT NOT NULL DEFAULT ''    -- why the last one could not be told
);
-- +goose StatementBegin
CREATE TRIGGER counts_schedules AFTER UPDATE ON schedule BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'server ' || NEW.server_id, counter FROM identity;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER counts_new_schedules AFTER INSERT ON schedule BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'server ' || NEW.server_id, counter FROM identity;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER counts_gone_schedules AFTER DELETE ON schedule BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'server ' || OLD.server_id, counter FROM identity;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER counts_schedule_runs AFTER UPDATE ON schedule_run BEGIN
    UPDATE identity SET counter = counter + 1;
    INSERT OR REPLACE INTO news SELECT 'server ' || s.server_id, counter FROM identity, schedule s WHERE s.id = NEW.schedule_id;
END;
-- +goose StatementEnd

-- +goose Down
SELECT RAISE(ABORT, 'there is no way down; restore a backup');
