//! The file: one program at a time, any released schema, never a newer one, whole copies.
#![allow(clippy::unwrap_used)]

use std::path::{Path, PathBuf};

use desk::Fact;
use diesel::connection::SimpleConnection;
use diesel::{Connection, SqliteConnection};
use store::{Hindrance, Store, StoreError};

/// Every migration that was released, as it was then.
fn migrations() -> Vec<(String, String)> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("migrations");
    let mut all: Vec<PathBuf> = std::fs::read_dir(folder)
        .unwrap()
        .map(|e| e.unwrap().path())
        .filter(|p| p.is_dir())
        .collect();
    all.sort();
    all.into_iter()
        .map(|p| {
            let name = p.file_name().unwrap().to_str().unwrap();
            let version = name.split('_').next().unwrap().replace('-', "");
            (version, std::fs::read_to_string(p.join("up.sql")).unwrap())
        })
        .collect()
}

/// FNV-1a (G. Fowler, L. C. Noll, K.-P. Vo; 64 bits).
fn print_of(text: &str) -> u64 {
    text.bytes().fold(0xcbf2_9ce4_8422_2325, |hash, byte| {
        (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3)
    })
}

/// Files out there have been through these very words: a change of one is a new migration.
#[test]
fn a_released_migration_is_never_changed() {
    let released = include_str!("../migrations/released.txt");
    let now: String = migrations()
        .iter()
        .map(|(version, sql)| format!("{version} {:016x}\n", print_of(sql)))
        .collect();
    assert_eq!(now, released, "add a migration; released.txt only grows");
}

fn execute(path: &Path, sql: &str) {
    let mut c = SqliteConnection::establish(path.to_str().unwrap()).unwrap();
    c.batch_execute(sql).unwrap();
}

/// A file as a program of that many migrations left it.
fn file_of_schema(path: &Path, count: usize) {
    let all = migrations();
    execute(path, &all[0].1);
    execute(path, include_str!("first_schema.sql"));
    for (version, sql) in &all[1..count] {
        execute(
            path,
            &format!("PRAGMA foreign_keys = OFF; BEGIN; {sql}; COMMIT;"),
        );
        let note = format!("INSERT INTO __diesel_schema_migrations (version) VALUES ('{version}')");
        execute(path, &note);
    }
}

#[test]
fn a_file_of_every_schema_opens_after_a_copy_was_made() {
    let all = migrations();
    let mut seen = Vec::new();
    for count in 1..=all.len() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("desk.db");
        file_of_schema(&path, count);
        let saved = Store::open(&path).unwrap().load().unwrap();
        assert_eq!(
            (saved.orders.len(), saved.journal.len()),
            (2, 2),
            "schema {count}"
        );
        seen.push(saved);
        assert_eq!(
            seen[0],
            seen[count - 1],
            "schema {count} gives what the first gives"
        );
        let copy = folder
            .path()
            .join(format!("desk.db.schema-{}", all[count - 1].0));
        assert_eq!(copy.exists(), count < all.len(), "schema {count}");
        if copy.exists() {
            assert_eq!(Store::open(&copy).unwrap().load().unwrap(), seen[0]);
        }
        assert_eq!(store::faults(&path).unwrap(), Vec::<String>::new());
    }
}

#[test]
fn a_newer_file_is_refused_and_left_alone() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("desk.db");
    drop(Store::open(&path).unwrap());
    execute(
        &path,
        "INSERT INTO __diesel_schema_migrations (version) VALUES ('20990101000000')",
    );
    let refused = Store::open(&path).err().unwrap();
    assert!(matches!(refused, StoreError::Newer { .. }), "{refused}");
    assert!(refused.to_string().contains("20990101000000"), "{refused}");
    assert!(matches!(
        store::copy(&path, &folder.path().join("copy.db")),
        Err(StoreError::Newer { .. })
    ));
}

#[test]
fn a_second_program_is_refused_until_the_first_leaves() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("desk.db");
    let first = Store::open(&path).unwrap();
    let refused = Store::open(&path).err().unwrap();
    assert!(matches!(refused, StoreError::Taken { .. }), "{refused}");
    let us = format!("process {}", std::process::id());
    assert!(refused.to_string().contains(&us), "{refused}");
    drop(first);
    assert!(Store::open(&path).is_ok());
}

#[cfg(unix)]
#[test]
fn only_the_owner_reads_the_files() {
    use std::os::unix::fs::PermissionsExt;
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("desk.db");
    let store = Store::open(&path).unwrap();
    store
        .commit(&[Fact::DayNote("2031-03-11".into(), "one".into())])
        .unwrap();
    store::copy(&path, &folder.path().join("copy.db")).unwrap();
    for entry in std::fs::read_dir(folder.path()).unwrap() {
        let entry = entry.unwrap();
        let mode = entry.metadata().unwrap().permissions().mode() & 0o777;
        assert_eq!(mode, 0o600, "{:?}", entry.path());
    }
}

/// A copy holds what was there when it was taken, also while the file is written to, and stands
/// nowhere where something stood.
#[test]
fn a_copy_is_whole_and_never_over_anything() {
    let folder = tempfile::tempdir().unwrap();
    let (path, copy) = (folder.path().join("desk.db"), folder.path().join("copy.db"));
    let store = Store::open(&path).unwrap();
    store
        .commit(&[Fact::DayNote("2031-03-11".into(), "one".into())])
        .unwrap();
    store::copy(&path, &copy).unwrap();
    store
        .commit(&[Fact::DayNote("2031-03-12".into(), "two".into())])
        .unwrap();
    assert_eq!(
        Store::open(&copy).unwrap().load().unwrap().day_notes.len(),
        1
    );
    let refused = store::copy(&path, &copy).unwrap_err().to_string();
    assert!(refused.contains("it is there already"), "{refused}");
    let other = folder.path().join("note.txt");
    std::fs::write(&other, "not a database").unwrap();
    for from in [&other, &folder.path().join("nothing.db")] {
        assert!(store::copy(from, &folder.path().join("x.db")).is_err());
        assert!(!folder.path().join("x.db").exists());
    }
}

/// A file that may not grow: what does not fit is refused as such and nothing of it is there; with
/// room again all goes on.
#[test]
fn without_room_nothing_is_half_written() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("desk.db");
    let store = Store::open(&path).unwrap();
    store.limit_pages(Some(40)).unwrap();
    let draft = |n: usize| {
        Fact::Draft(
            format!("d{n}"),
            "x".repeat(3_000),
            desk::Moment::from_millis(0),
        )
    };
    let mut written = 0;
    let refused = loop {
        match store.commit(&[draft(written), draft(written + 1)]) {
            Ok(()) => written += 2,
            Err(e) => break e,
        }
    };
    assert_eq!(refused.hindrance(), Hindrance::Full, "{refused}");
    assert_eq!(store.load().unwrap().drafts.len(), written);
    store.limit_pages(None).unwrap();
    store.commit(&[draft(written), draft(written + 1)]).unwrap();
    assert_eq!(store.load().unwrap().drafts.len(), written + 2);
}
