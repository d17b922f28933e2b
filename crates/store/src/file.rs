//! The database file itself: one program at a time on it, the versions of its schema, copies of it.
//!
//! A migration that was released is never changed; a file of any released schema is copied beside
//! itself before it is brought up to date. Copies are taken by SQLite itself, so they hold one
//! moment whole also while a program writes to the file.

use std::fs::{File, OpenOptions, TryLockError};
use std::io::{Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use diesel::connection::SimpleConnection;
use diesel::prelude::*;
use diesel::sql_types::{BigInt, Nullable, Text};
use diesel::sqlite::SqliteConnection;
use diesel_migrations::MigrationHarness;

use desk::{Moment, Money};

use crate::schema::{clock, days, drafts};
use crate::{MIGRATIONS, StoreError};

/// How long a program waits for another that is just leaving the file.
const PATIENCE: Duration = Duration::from_secs(2);

/// A file is held by one program at a time, as long as this lives. The lock stands in a file of its
/// own, `FILE.lock`: SQLite's own locks on the database come and go with each transaction.
#[derive(Debug)]
pub(crate) struct Lock(#[allow(dead_code, reason = "held until it is dropped")] File);

impl Lock {
    /// # Errors
    /// Another program holds the file, or its folder cannot be written to.
    pub(crate) fn take(path: &Path) -> Result<Lock, StoreError> {
        let place = beside(path, "lock");
        let wrong = |e: std::io::Error| StoreError::file(&place, e);
        let mut file = private(&place).map_err(wrong)?;
        let until = Instant::now() + PATIENCE;
        loop {
            match file.try_lock() {
                Ok(()) => break,
                Err(TryLockError::WouldBlock) if Instant::now() < until => {
                    std::thread::sleep(Duration::from_millis(20));
                }
                Err(TryLockError::WouldBlock) => {
                    let mut holder = String::new();
                    // Who it is, is told where it can be read.
                    let _ = file.read_to_string(&mut holder);
                    let holder = match holder.trim() {
                        "" => "another program",
                        told => told,
                    };
                    return Err(StoreError::Taken {
                        path: path.into(),
                        holder: holder.into(),
                    });
                }
                Err(TryLockError::Error(e)) => return Err(wrong(e)),
            }
        }
        let noted = file
            .set_len(0)
            .and_then(|()| file.seek(SeekFrom::Start(0)))
            .and_then(|_| writeln!(file, "process {}", std::process::id()));
        noted.map_err(wrong)?;
        Ok(Lock(file))
    }
}

/// `FILE.what`: what stands beside a database and belongs to it.
pub fn beside(path: &Path, what: &str) -> PathBuf {
    let mut name = path.as_os_str().to_owned();
    name.push(".");
    name.push(what);
    name.into()
}

/// Opens or makes a file that only its owner may read.
///
/// # Errors
/// The system refuses.
pub fn private(path: &Path) -> std::io::Result<File> {
    let mut options = OpenOptions::new();
    options.read(true).write(true).create(true).truncate(false);
    #[cfg(unix)]
    {
        use std::os::unix::fs::{OpenOptionsExt, PermissionsExt};
        let file = options.mode(0o600).open(path)?;
        if file.metadata()?.permissions().mode() & 0o077 != 0 {
            file.set_permissions(std::fs::Permissions::from_mode(0o600))?;
        }
        Ok(file)
    }
    #[cfg(not(unix))]
    options.open(path)
}

/// How far a file's schema is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Versions {
    /// Of the file, ascending.
    applied: Vec<String>,
    /// Of this program, ascending.
    known: Vec<String>,
}

impl Versions {
    pub(crate) fn of(c: &mut SqliteConnection) -> Result<Versions, StoreError> {
        let wrong =
            |e: Box<dyn std::error::Error + Send + Sync>| StoreError::Migration(e.to_string());
        let mut applied: Vec<String> = c
            .applied_migrations()
            .map_err(wrong)?
            .iter()
            .map(ToString::to_string)
            .collect();
        applied.sort();
        let known = known_versions()?;
        Ok(Versions { applied, known })
    }

    /// A file that a newer program wrote is not touched by an older one.
    pub(crate) fn refuse_newer(&self, path: &Path) -> Result<(), StoreError> {
        let newer: Vec<&str> = self
            .applied
            .iter()
            .filter(|v| !self.known.contains(v))
            .map(String::as_str)
            .collect();
        if newer.is_empty() {
            Ok(())
        } else {
            Err(StoreError::Newer {
                path: path.into(),
                versions: newer.join(", "),
            })
        }
    }

    pub(crate) fn is_new(&self) -> bool {
        self.applied.is_empty()
    }

    pub(crate) fn is_behind(&self) -> bool {
        self.applied.len() < self.known.len()
    }

    /// Where the copy of a file of this schema stands.
    pub(crate) fn copy_place(&self, path: &Path) -> PathBuf {
        let last = self.applied.last().map_or("none", String::as_str);
        beside(path, &format!("schema-{last}"))
    }
}

/// Versions of this program's schema, ascending.
fn known_versions() -> Result<Vec<String>, StoreError> {
    use diesel::migration::MigrationSource;
    let mut all: Vec<String> = MigrationSource::<diesel::sqlite::Sqlite>::migrations(&MIGRATIONS)
        .map_err(|e| StoreError::Migration(e.to_string()))?
        .iter()
        .map(|m| m.name().version().to_string())
        .collect();
    all.sort();
    Ok(all)
}

#[derive(QueryableByName)]
struct Said {
    #[diesel(sql_type = Text)]
    integrity_check: String,
}

#[derive(QueryableByName)]
struct Orphan {
    #[diesel(sql_type = Text)]
    table: String,
    #[diesel(sql_type = Nullable<BigInt>)]
    rowid: Option<i64>,
    #[diesel(sql_type = Text)]
    parent: String,
}

/// Rows that point to rows which are not there.
pub(crate) fn orphans(c: &mut SqliteConnection) -> Result<Vec<String>, StoreError> {
    let rows: Vec<Orphan> = diesel::sql_query("PRAGMA foreign_key_check").load(c)?;
    let told = |o: Orphan| match o.rowid {
        Some(row) => format!(
            "{} row {row} belongs to a row of {} that is not there",
            o.table, o.parent
        ),
        None => format!(
            "a row of {} belongs to a row of {} that is not there",
            o.table, o.parent
        ),
    };
    Ok(rows.into_iter().map(told).collect())
}

/// What is wrong with a file, before anything of it is read as books: pages that do not fit, rows
/// that belong to nothing. Empty when it is in order.
///
/// # Errors
/// The file is not there, is no database of this program, or a newer program wrote it.
pub fn faults(path: &Path) -> Result<Vec<String>, StoreError> {
    let mut c = existing(path)?;
    let said: Vec<Said> = diesel::sql_query("PRAGMA integrity_check").load(&mut c)?;
    let mut out: Vec<String> = said
        .into_iter()
        .map(|s| s.integrity_check)
        .filter(|s| s != "ok")
        .collect();
    out.extend(orphans(&mut c)?);
    Ok(out)
}

/// A connection to a file that must be there and be ours.
fn existing(path: &Path) -> Result<SqliteConnection, StoreError> {
    if !path.is_file() {
        return Err(StoreError::file(path, "there is no such file"));
    }
    let foreign = |e: &dyn std::fmt::Display| {
        StoreError::file(path, format!("it is no database of this program ({e})"))
    };
    let mut c = SqliteConnection::establish(&path.to_string_lossy())?;
    c.batch_execute("PRAGMA busy_timeout = 5000; PRAGMA query_only = ON;")?;
    let rows: i64 = diesel::select(diesel::dsl::sql::<BigInt>(
        "(SELECT count(*) FROM sqlite_master WHERE name IN ('__diesel_schema_migrations', 'journal'))",
    ))
    .get_result(&mut c)
    .map_err(|e| foreign(&e))?;
    if rows < 2 {
        return Err(foreign(&"its tables are others"));
    }
    Versions::of(&mut c)?.refuse_newer(path)?;
    Ok(c)
}

/// What is read of a database without working on it.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Glance {
    /// Its clock; absent of a file that was never begun.
    pub now: Option<Moment>,
    /// What is kept in a place among the drafts.
    pub kept: Option<String>,
    /// Value of the account at its last close.
    pub value: Option<Money>,
}

/// Reads a few things of a database, also while a program works on it; `slot` is a place among the
/// drafts.
///
/// # Errors
/// It is not there, is no database of this program, or cannot be read.
pub fn glance(path: &Path, slot: &str) -> Result<Glance, StoreError> {
    let mut c = existing(path)?;
    let now = clock::table
        .select(clock::now_ms)
        .first::<i64>(&mut c)
        .optional()?;
    let kept = drafts::table
        .filter(drafts::slot.eq(slot))
        .select(drafts::body)
        .first::<String>(&mut c)
        .optional()?;
    let value = days::table
        .order(days::day.desc())
        .select(days::account_value)
        .first::<i64>(&mut c)
        .optional()?;
    Ok(Glance {
        now: now.map(Moment::from_millis),
        kept,
        value: value.map(Money::from_raw),
    })
}

/// Copies a database to a new file: one moment of it, whole, also while a program writes to it.
///
/// # Errors
/// There is no such database, something stands where the copy shall be, or it cannot be written.
pub fn copy(from: &Path, to: &Path) -> Result<(), StoreError> {
    let mut c = existing(from)?;
    // SQLite makes the copy in this very call and writes nowhere else.
    c.batch_execute("PRAGMA query_only = OFF;")?;
    let there = || StoreError::file(to, "it is there already; nothing is written over it");
    if to.exists() {
        return Err(there());
    }
    let part = beside(to, "part");
    let wrong = |e: std::io::Error| StoreError::file(to, e);
    match std::fs::remove_file(&part) {
        Err(e) if e.kind() != std::io::ErrorKind::NotFound => return Err(wrong(e)),
        _ => {}
    }
    diesel::sql_query("VACUUM INTO ?")
        .bind::<Text, _>(part.to_string_lossy().into_owned())
        .execute(&mut c)?;
    private(&part).and_then(|f| f.sync_all()).map_err(wrong)?;
    // The name is taken only where nothing stands, whoever came in between; what takes it is empty
    // until the whole copy replaces it.
    let claimed = File::create_new(to).map_err(|e| match e.kind() {
        std::io::ErrorKind::AlreadyExists => there(),
        _ => wrong(e),
    });
    if let Err(e) = claimed {
        std::fs::remove_file(&part).map_err(wrong)?;
        return Err(e);
    }
    std::fs::rename(&part, to).map_err(wrong)
}

/// Puts a copy in place as a database that a program will work on.
///
/// # Errors
/// As [`copy`]; a program works on a file of this name, or what it left unwritten stands beside it.
pub fn restore(from: &Path, to: &Path) -> Result<(), StoreError> {
    let _lock = Lock::take(to)?;
    let mut log = to.as_os_str().to_owned();
    log.push("-wal");
    let log = PathBuf::from(log);
    if log.exists() {
        // SQLite would write what is in it into the file put in place.
        let why = format!(
            "{} is left of a file of this name that is gone; move it away first",
            log.display()
        );
        return Err(StoreError::file(to, why));
    }
    copy(from, to)
}

/// Copies a file before its schema changes; a copy of the same schema that an interrupted upgrade
/// left is made anew.
pub(crate) fn copy_before_upgrade(path: &Path, to: &Path) -> Result<(), StoreError> {
    match std::fs::remove_file(to) {
        Err(e) if e.kind() != std::io::ErrorKind::NotFound => {
            return Err(StoreError::file(to, e));
        }
        _ => {}
    }
    copy(path, to)
}
