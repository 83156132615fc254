"""The tables of the stock, and how an older stock becomes one of today."""

import sqlite3

APPLICATION_ID = 0x466F4B70  # "FoKp", so that `file` and we can tell a stock from any other SQLite file

# Each entry brings a stock from the version that is its index to the next.
_MIGRATIONS = (
    """
    CREATE TABLE volumes (
        id INTEGER PRIMARY KEY,
        key TEXT NOT NULL UNIQUE,           -- what tells this volume from another
        name TEXT NOT NULL                  -- what a person knows it by
    ) STRICT;
    CREATE TABLE places (
        id INTEGER PRIMARY KEY,
        path BLOB NOT NULL UNIQUE,
        role TEXT NOT NULL,
        label TEXT NOT NULL UNIQUE,
        volume INTEGER NOT NULL REFERENCES volumes,
        inode INTEGER NOT NULL,             -- of its top folder
        asked TEXT NOT NULL,                -- what is looked at here beyond the usual, words with commas between
        scanned_ns INTEGER
    ) STRICT;
    CREATE TABLE folders (
        id INTEGER PRIMARY KEY,
        path BLOB NOT NULL UNIQUE,
        place INTEGER NOT NULL REFERENCES places,
        volume INTEGER NOT NULL REFERENCES volumes,
        scan INTEGER NOT NULL,              -- the last scan that looked into it
        seen BLOB                           -- digest of what was listed then; none if it must be looked at again
    ) STRICT;
    CREATE INDEX folders_by_place ON folders (place);
    CREATE TABLE files (
        id INTEGER PRIMARY KEY,
        folder INTEGER NOT NULL REFERENCES folders,
        name BLOB NOT NULL,
        place INTEGER NOT NULL,             -- place and volume of the folder, for finders that group
        volume INTEGER NOT NULL,
        kind TEXT NOT NULL,
        size INTEGER NOT NULL,
        modified_ns INTEGER NOT NULL,
        inode INTEGER NOT NULL,
        links INTEGER NOT NULL,
        owner INTEGER NOT NULL,
        fresh INTEGER NOT NULL,             -- 1: changed so short before it was listed that its time does not tell
        ends INTEGER,                       -- digest of the first and last block, where it was needed
        digest BLOB,                        -- BLAKE3 of the whole content, where it was needed
        content TEXT,                       -- what its first bytes say it is, where its suffix says otherwise
        extent INTEGER,                     -- where its first block lies, if other files share it
        UNIQUE (folder, name)
    ) STRICT;
    CREATE INDEX files_by_size ON files (size, ends, volume, inode);
    CREATE INDEX files_without_ends ON files (size) WHERE ends IS NULL AND size > 0;
    CREATE INDEX files_without_digest ON files (size) WHERE digest IS NULL AND ends IS NOT NULL;
    CREATE INDEX files_by_digest ON files (digest, volume, inode, place, size, links, kind, extent)
        WHERE digest IS NOT NULL;
    CREATE INDEX files_that_share ON files (digest) WHERE extent IS NOT NULL;
    CREATE TABLE gone (
        path BLOB PRIMARY KEY,              -- where a file was that a scan no longer found
        size INTEGER NOT NULL,
        modified_ns INTEGER NOT NULL,
        volume INTEGER NOT NULL,
        inode INTEGER NOT NULL,
        ends INTEGER,
        digest BLOB,
        content TEXT,
        scan INTEGER NOT NULL               -- the scan that missed it
    ) STRICT, WITHOUT ROWID;
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
    """
    ALTER TABLE run_files ADD COLUMN target BLOB NOT NULL DEFAULT x'';    -- a path: where it was moved to
    ALTER TABLE run_files ADD COLUMN method TEXT NOT NULL DEFAULT 'fold';
    CREATE INDEX run_files_waiting ON run_files (path) WHERE state = 'waiting';
    """,
    """
    ALTER TABLE files ADD COLUMN blocks INTEGER;  -- of 512 bytes, that it takes on its volume, where that is known
    CREATE TABLE facts (
        digest BLOB PRIMARY KEY,
        reader INTEGER NOT NULL,            -- the version of our reading that found them
        facts TEXT NOT NULL                 -- a JSON object of what is known
    ) STRICT, WITHOUT ROWID;
    """,
    """
    CREATE TABLE catalogs (
        name TEXT PRIMARY KEY,
        definition TEXT NOT NULL            -- a JSON object: where they lie and how they are read
    ) STRICT;
    """,
    """
    ALTER TABLE run_files ADD COLUMN words BLOB NOT NULL DEFAULT x'';  -- digest of a sidecar that says what it said
    """,
    """
    CREATE TABLE archives (
        id INTEGER PRIMARY KEY,
        package BLOB NOT NULL UNIQUE,       -- a path: where it was seen last
        made_at BLOB NOT NULL,              -- a path: where it was made, by which the ledger names it
        project BLOB NOT NULL,              -- a path: what was archived
        key TEXT NOT NULL,                  -- what the package says it is, wherever it lies
        made_ns INTEGER NOT NULL,
        bytes INTEGER NOT NULL,
        left_out INTEGER NOT NULL,          -- bytes that can be made again and are not in it
        checked_ns INTEGER NOT NULL         -- when all of it was read and right
    ) STRICT;
    CREATE TABLE archived_files (
        archive INTEGER NOT NULL REFERENCES archives ON DELETE CASCADE,
        path BLOB NOT NULL,                 -- absolute, where it was archived from
        size INTEGER NOT NULL,
        modified_ns INTEGER NOT NULL,
        digest BLOB NOT NULL
    ) STRICT;
    CREATE INDEX archived_files_by_digest ON archived_files (digest);
    CREATE INDEX archived_files_by_archive ON archived_files (archive);
    """,
    """
    ALTER TABLE run_files ADD COLUMN source TEXT NOT NULL DEFAULT '';  -- size, time, digest of a derived file's source
    ALTER TABLE run_files ADD COLUMN target_volume TEXT NOT NULL DEFAULT '';
    ALTER TABLE run_files ADD COLUMN target_modified_ns INTEGER NOT NULL DEFAULT 0;
    ALTER TABLE run_files ADD COLUMN mode INTEGER NOT NULL DEFAULT 0;  -- of one that moved to another volume
    CREATE INDEX run_files_linking ON run_files (keeper) WHERE method = 'symlink';
    """,
    """
    ALTER TABLE run_files ADD COLUMN grade TEXT NOT NULL DEFAULT '';   -- of a derived file's evidence, when it went
    ALTER TABLE run_files ADD COLUMN recipe TEXT NOT NULL DEFAULT '';  -- that took it; empty if none did
    ALTER TABLE run_files ADD COLUMN made BLOB NOT NULL DEFAULT x'';   -- digest of a derived file
    CREATE TABLE measures (
        what TEXT NOT NULL,                 -- what was asked
        files BLOB NOT NULL,                -- digest of the paths, sizes and times of the files that it was asked of
        measurer INTEGER NOT NULL,          -- the version of our measuring
        answer TEXT NOT NULL,
        PRIMARY KEY (what, files)
    ) STRICT, WITHOUT ROWID;
    """,
    """
    -- Whether another package was seen where this one was last; its path then has NUL and its key behind it.
    ALTER TABLE archives ADD COLUMN displaced INTEGER NOT NULL DEFAULT 0;
    ALTER TABLE archives ADD COLUMN parts INTEGER NOT NULL DEFAULT 1;   -- how many packages the project is in
    ALTER TABLE archives ADD COLUMN set_key TEXT NOT NULL DEFAULT '';   -- the key of the first of them
    """,
    """
    ALTER TABLE places ADD COLUMN below BLOB;  -- its path below where its volume is mounted; none if never looked at
    CREATE TABLE former_paths (
        path BLOB PRIMARY KEY,              -- where a place was, before its drive was mounted elsewhere
        place INTEGER NOT NULL
    ) STRICT, WITHOUT ROWID;
    """,
    """
    ALTER TABLE places ADD COLUMN mark TEXT NOT NULL DEFAULT '';  -- what its fold says it is, wherever it lies
    ALTER TABLE volumes ADD COLUMN capabilities TEXT NOT NULL DEFAULT '';  -- a JSON object; empty if not tried out
    """,
    """
    CREATE TABLE signals (
        digest BLOB NOT NULL,
        extractor TEXT NOT NULL,
        version INTEGER NOT NULL,           -- of the extractor
        value TEXT NOT NULL,                -- a JSON object of what is known
        problem TEXT NOT NULL,              -- why not all of it could be read; empty if it could
        PRIMARY KEY (digest, extractor)
    ) STRICT, WITHOUT ROWID;
    INSERT INTO signals SELECT digest, 'media facts', reader, facts, '' FROM facts;
    DROP TABLE facts;
    """,
    """
    -- What files with one essence agree in, behind the version of its making; nothing behind that if a file has none.
    ALTER TABLE files ADD COLUMN outline BLOB;
    CREATE INDEX files_by_outline ON files (outline) WHERE length(outline) > 1;
    """,
    """
    -- What files that decode to the same agree in, as outlines are kept.
    ALTER TABLE files ADD COLUMN form BLOB;
    """,
    """
    -- The time of its last status change when its digest was read; none where that does not tell.
    ALTER TABLE files ADD COLUMN read_changed_ns INTEGER;
    CREATE TABLE checks (
        kind TEXT NOT NULL,
        subject BLOB NOT NULL,              -- a path, or the key of a package
        checked_ns INTEGER NOT NULL,
        result TEXT NOT NULL,
        right_ns INTEGER,                   -- when it was last found right
        expected BLOB NOT NULL,             -- digest of what it should hold, and of what it held; empty if not known
        found BLOB NOT NULL,
        PRIMARY KEY (kind, subject)
    ) STRICT, WITHOUT ROWID;
    CREATE INDEX checks_by_result ON checks (kind, result);
    """,
    """
    ALTER TABLE files ADD COLUMN etag TEXT NOT NULL DEFAULT '';  -- a strong entity tag of its server; empty if none
    ALTER TABLE files ADD COLUMN stated TEXT;  -- algorithm and digest of the whole content, by its server's own word
    CREATE INDEX files_by_stated ON files (stated) WHERE stated IS NOT NULL;
    CREATE TABLE quotas (
        place INTEGER PRIMARY KEY,          -- on a server
        used INTEGER,                       -- bytes that are taken there; none if the server does not tell
        available INTEGER,                  -- bytes that may be added
        asked_ns INTEGER NOT NULL
    ) STRICT;
    CREATE TABLE separate_places (
        one INTEGER NOT NULL,               -- the user says that no program keeps these two alike
        other INTEGER NOT NULL,             -- the larger number of the two
        PRIMARY KEY (one, other)
    ) STRICT, WITHOUT ROWID;
    """,
    """
    CREATE TABLE checkups (
        word TEXT PRIMARY KEY,              -- what was looked at
        made_ns INTEGER NOT NULL,
        known TEXT NOT NULL                 -- a JSON object: what was found then
    ) STRICT, WITHOUT ROWID;
    CREATE TABLE checkup_spares (
        digest BLOB PRIMARY KEY,
        spares INTEGER NOT NULL             -- how many were known at the last check-up
    ) STRICT, WITHOUT ROWID;
    """,
    """
    -- Until here a file under a false name told of its content what was wrong with the name.
    DELETE FROM signals WHERE extractor IN ('damage', 'media facts')
        AND digest IN (SELECT digest FROM files WHERE content IS NOT NULL);
    """,
    """
    CREATE TABLE machine (
        id TEXT PRIMARY KEY,                -- 32 hexadecimal digits
        name TEXT NOT NULL                  -- empty for the system's own
    ) STRICT, WITHOUT ROWID;
    INSERT INTO machine VALUES (lower(hex(randomblob(16))), '');
    CREATE TABLE machine_keys (             -- of others, by which what they sign is known
        id TEXT PRIMARY KEY,
        name TEXT NOT NULL,
        key BLOB NOT NULL UNIQUE
    ) STRICT, WITHOUT ROWID;
    CREATE TABLE numbers (                  -- that others are asked to sign before something is released
        number BLOB NOT NULL,
        run INTEGER NOT NULL,
        made_ns INTEGER NOT NULL,
        PRIMARY KEY (number, run)
    ) STRICT, WITHOUT ROWID;
    """,
    """
    ALTER TABLE volumes ADD COLUMN disks TEXT NOT NULL DEFAULT '';  -- what tells its disks from others; a JSON list
    ALTER TABLE places ADD COLUMN disk TEXT NOT NULL DEFAULT '';    -- the disk that it is on, by the user's own word
    CREATE TABLE run_clocks (               -- by which it is told how long ago a run was, whatever the clock says
        run INTEGER PRIMARY KEY,
        from_ns INTEGER NOT NULL,           -- by the clock on the wall
        boot TEXT NOT NULL,                 -- which start of the computer that was in; empty where that is not known
        since_boot_ns INTEGER NOT NULL      -- how long after it
    ) STRICT;
    """,
    """
    CREATE INDEX run_files_waiting_content ON run_files (digest, run) WHERE state = 'waiting';
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
    version = _version(connection)
    while version < VERSION:
        try:
            connection.executescript(
                f"BEGIN IMMEDIATE; {''.join(_MIGRATIONS[version:])} PRAGMA user_version = {VERSION};"
                f"PRAGMA application_id = {APPLICATION_ID}; COMMIT;"
            )
            return
        except sqlite3.OperationalError:  # another Fold Keep may just have done it
            if connection.in_transaction:
                connection.execute("ROLLBACK")
            before, version = version, _version(connection)
            if version == before:
                raise


def _version(connection: sqlite3.Connection) -> int:
    """Return the version of a stock, 0 for a new file; ValueError as `migrate`."""
    connection.execute("BEGIN")  # all as it is at one moment
    (application,) = connection.execute("PRAGMA application_id").fetchone()
    (version,) = connection.execute("PRAGMA user_version").fetchone()
    (tables,) = connection.execute("SELECT count(*) FROM sqlite_master").fetchone()
    connection.execute("COMMIT")
    if application != APPLICATION_ID and (application or version or tables):
        raise ValueError("it is an SQLite file of another program")
    if version > VERSION:
        raise ValueError(f"a newer Fold Keep made it (version {version}; this one knows {VERSION})")
    return int(version)
