-- The tables of a job file. Rows are added, never changed: triggers refuse both.
CREATE TABLE IF NOT EXISTS revision (
    id INTEGER PRIMARY KEY, parent INTEGER REFERENCES revision (id),
    at REAL NOT NULL, name TEXT NOT NULL, job TEXT NOT NULL
);
CREATE TABLE IF NOT EXISTS head (id INTEGER PRIMARY KEY, at REAL NOT NULL,
    revision INTEGER NOT NULL REFERENCES revision (id)
);
CREATE TABLE IF NOT EXISTS run (
    id INTEGER PRIMARY KEY, at REAL NOT NULL, test TEXT NOT NULL,
    revision INTEGER NOT NULL REFERENCES revision (id), instruments TEXT NOT NULL
);
CREATE TABLE IF NOT EXISTS run_event (
    id INTEGER PRIMARY KEY, run INTEGER NOT NULL REFERENCES run (id),
    at REAL NOT NULL, kind TEXT NOT NULL, sentence TEXT NOT NULL
);
CREATE TABLE IF NOT EXISTS reading (
    id INTEGER PRIMARY KEY, scan INTEGER NOT NULL, at REAL NOT NULL, place TEXT NOT NULL,
    quantity TEXT NOT NULL, value REAL NOT NULL, instrument TEXT NOT NULL, range TEXT NOT NULL,
    accuracy TEXT, wiring TEXT NOT NULL, origin TEXT NOT NULL, test TEXT, step INTEGER,
    run INTEGER REFERENCES run (id), note TEXT NOT NULL, corrects INTEGER REFERENCES reading (id),
    revision INTEGER NOT NULL REFERENCES revision (id)
);
CREATE TABLE IF NOT EXISTS attachment (
    id INTEGER PRIMARY KEY, at REAL NOT NULL, subject TEXT NOT NULL, name TEXT NOT NULL,
    media TEXT NOT NULL, data BLOB, hides INTEGER REFERENCES attachment (id)
);
CREATE TABLE IF NOT EXISTS wave (
    id INTEGER PRIMARY KEY, at REAL NOT NULL, place TEXT NOT NULL, rate REAL NOT NULL, start REAL NOT NULL,
    samples INTEGER NOT NULL, instrument TEXT NOT NULL, origin TEXT NOT NULL, test TEXT, step INTEGER,
    run INTEGER REFERENCES run (id), note TEXT NOT NULL, data BLOB NOT NULL,
    revision INTEGER NOT NULL REFERENCES revision (id)
);
-- What was struck, or taken up again where the reason is empty; the newest row of a target counts.
CREATE TABLE IF NOT EXISTS strike (
    id INTEGER PRIMARY KEY, at REAL NOT NULL, what TEXT NOT NULL, target INTEGER NOT NULL,
    reason TEXT NOT NULL, revision INTEGER NOT NULL REFERENCES revision (id)
);
CREATE TABLE IF NOT EXISTS log (
    id INTEGER PRIMARY KEY, at REAL NOT NULL, kind TEXT NOT NULL, text TEXT NOT NULL
);
