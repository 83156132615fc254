"""The tables of the stock, and how an older stock becomes one of today."""

import sqlite3

APPLICATION_ID = 0x466F4B70  # "FoKp", so that `file` and we can tell a stock from any other SQLite file

# Each entry brings a stock from the version that is its index to the next.
_MIGRATIONS = (
    """
    CREATE TABLE volumes (
        id INTEGER PRIMARY KEY,
        key TEXT NOT NULL UNIQUE            -- what tells this volume from another
    ) STRICT;
    CREATE TABLE places (
        id INTEGER PRIMARY KEY,
        path BLOB NOT NULL UNIQUE,
        role TEXT NOT NULL,
        label TEXT NOT NULL UNIQUE,
        volume INTEGER NOT NULL REFERENCES volumes
    ) STRICT;
    CREATE TABLE folders (
        id INTEGER PRIMARY KEY,
        path BLOB NOT NULL UNIQUE,
        place INTEGER NOT NULL REFERENCES places,
        volume INTEGER NOT NULL REFERENCES volumes,
        scan INTEGER NOT NULL               -- the last scan that looked into it
    ) STRICT;
    CREATE INDEX folders_by_place ON folders (place);
    CREATE TABLE files (
        id INTEGER PRIMARY KEY,
        folder INTEGER NOT NULL REFERENCES folders,
        name BLOB NOT NULL,
        kind TEXT NOT NULL,
        size INTEGER NOT NULL,
        modified_ns INTEGER NOT NULL,
        inode INTEGER NOT NULL,
        links INTEGER NOT NULL,
        ends BLOB,                          -- digest of the first and last block, where it was needed
        digest BLOB,                        -- BLAKE3 of the whole content, where it was needed
        UNIQUE (folder, name)
    ) STRICT;
    CREATE INDEX files_by_size ON files (size, inode);
    CREATE INDEX files_by_digest ON files (digest) WHERE digest IS NOT NULL;
    CREATE TABLE runs (
        id INTEGER PRIMARY KEY,
        key TEXT NOT NULL UNIQUE,
        method TEXT NOT NULL,
        docket BLOB NOT NULL,
        started_ns INTEGER NOT NULL,
        underway INTEGER NOT NULL
    ) STRICT;
    CREATE TABLE run_files (
        run INTEGER NOT NULL REFERENCES runs,
        number INTEGER NOT NULL,
        place BLOB NOT NULL,                -- a path: the ledger outlives places that are forgotten
        path BLOB NOT NULL,
        slot TEXT NOT NULL,
        size INTEGER NOT NULL,
        modified_ns INTEGER NOT NULL,
        digest BLOB NOT NULL,
        keeper BLOB NOT NULL,
        state TEXT NOT NULL,
        reason TEXT NOT NULL,
        PRIMARY KEY (run, number)
    ) STRICT, WITHOUT ROWID;
    CREATE TABLE scans (
        id INTEGER PRIMARY KEY,
        started_ns INTEGER NOT NULL
    ) STRICT;
    """,
)
VERSION = len(_MIGRATIONS)


def migrate(connection: sqlite3.Connection) -> None:
    """Bring a new or older stock to today's tables, all or nothing.

    Raises
    ------
    ValueError
        If the file is another program's, or from a newer Fold Keep.
    """
    (application,) = connection.execute("PRAGMA application_id").fetchone()
    (version,) = connection.execute("PRAGMA user_version").fetchone()
    (tables,) = connection.execute("SELECT count(*) FROM sqlite_master").fetchone()
    if application != APPLICATION_ID and (application or version or tables):
        raise ValueError("it is an SQLite file of another program")
    if version > VERSION:
        raise ValueError(f"a newer Fold Keep made it (version {version}; this one knows {VERSION})")
    for number in range(version, VERSION):
        connection.executescript(
            f"BEGIN IMMEDIATE; {_MIGRATIONS[number]} PRAGMA user_version = {number + 1};"
            f"PRAGMA application_id = {APPLICATION_ID}; COMMIT;"
        )
