//! Tables as RFC 4180 has them, whose columns are found by name and whose bad rows are refused one
//! by one.

use std::collections::BTreeMap;
use std::fmt::Display;
use std::io::Read;
use std::str::FromStr;

use csv::StringRecord;
use serde::{Deserialize, Serialize};

/// A row that was refused.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BadRow {
    /// Its line in the file; the first row has 1.
    pub line: u64,
    /// What is wrong with it, and what would be right.
    pub what: String,
}

impl Display for BadRow {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "line {}: {}", self.line, self.what)
    }
}

/// A value of a cell, or what is wrong with it.
pub(super) fn read<T: FromStr<Err: Display>>(name: &str, text: &str) -> Result<T, String> {
    text.parse().map_err(|e| format!("{name}: {e}"))
}

/// Longest row in bytes: what is longer is no row, and is cut there.
const LONGEST: usize = 4 << 10;

/// Where the first row of some bytes ends, its line end included: at the first line end outside of
/// quotes, at the very end where there is none.
pub(super) fn end_of_row(bytes: &[u8]) -> usize {
    let mut quoted = false;
    for (i, b) in bytes.iter().enumerate() {
        match b {
            b'"' => quoted = !quoted,
            b'\n' if !quoted => return i + 1,
            _ if i >= LONGEST => break,
            _ => {}
        }
    }
    // A quote that is never closed ends with its line.
    let first = bytes.iter().position(|b| *b == b'\n');
    first.map_or(bytes.len(), |i| i + 1)
}

/// The cells of one row; nothing of an empty line.
///
/// # Errors
/// It is no text.
pub(super) fn record(row: &[u8]) -> Result<Option<StringRecord>, String> {
    let text = std::str::from_utf8(row).map_err(|_| "it is not text in UTF-8".to_owned())?;
    let text = text.trim_end_matches(['\n', '\r']);
    if text.trim().is_empty() {
        return Ok(None);
    }
    if !text.contains('"') {
        return Ok(Some(text.split(',').collect()));
    }
    let mut reader = csv::ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .from_reader(text.as_bytes());
    let mut record = StringRecord::new();
    let found = reader.read_record(&mut record).map_err(|e| e.to_string())?;
    Ok(found.then_some(record))
}

/// Columns by name.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub(super) struct Columns(BTreeMap<String, usize>);

impl Columns {
    /// Those of a first row; `needed` must be among them.
    pub(super) fn of(first: &StringRecord, needed: &[&str]) -> Result<Columns, String> {
        let all = first.iter().enumerate();
        // A byte order mark is none of the first name.
        let name = |text: &str| text.trim_start_matches('\u{feff}').trim().to_owned();
        let columns: BTreeMap<String, usize> = all.map(|(i, text)| (name(text), i)).collect();
        match needed.iter().find(|name| !columns.contains_key(**name)) {
            Some(missing) => Err(format!(
                "there is no column {missing:?}; needed are {}",
                needed.join(", ")
            )),
            None => Ok(Columns(columns)),
        }
    }

    /// A row with these columns.
    pub(super) fn row<'a>(&'a self, record: &'a StringRecord) -> Row<'a> {
        Row {
            record,
            columns: &self.0,
        }
    }
}

/// A table whose columns are found by name.
pub(super) struct Table {
    bytes: Vec<u8>,
    columns: Columns,
    /// Where its second row begins.
    from: usize,
}

/// One row of a table.
pub(super) struct Row<'a> {
    record: &'a StringRecord,
    columns: &'a BTreeMap<String, usize>,
}

impl Table {
    /// Reads the first row; `needed` columns must be there.
    pub(super) fn open(mut input: impl Read, needed: &[&str]) -> Result<Table, String> {
        let mut bytes = Vec::new();
        input
            .read_to_end(&mut bytes)
            .map_err(|e| format!("reading: {e}"))?;
        let from = end_of_row(&bytes);
        let first = record(&bytes[..from]).map_err(|e| format!("line 1: {e}"))?;
        let columns =
            Columns::of(&first.unwrap_or_default(), needed).map_err(|e| format!("line 1: {e}"))?;
        Ok(Table {
            bytes,
            columns,
            from,
        })
    }

    /// Gives each row to `take`; what it refuses, and what is no row at all, comes back with its
    /// line.
    pub(super) fn rows(self, mut take: impl FnMut(&Row<'_>) -> Result<(), String>) -> Vec<BadRow> {
        let mut bad = Vec::new();
        let count = |row: &[u8]| row.iter().filter(|b| **b == b'\n').count() as u64;
        let mut line = 1 + count(&self.bytes[..self.from]);
        let mut from = self.from;
        while from < self.bytes.len() {
            let row = &self.bytes[from..from + end_of_row(&self.bytes[from..])];
            let taken = match record(row) {
                Ok(Some(record)) => take(&self.columns.row(&record)),
                Ok(None) => Ok(()),
                Err(what) => Err(what),
            };
            if let Err(what) = taken {
                bad.push(BadRow { line, what });
            }
            line += count(row);
            from += row.len();
        }
        bad
    }
}

impl Row<'_> {
    /// A cell; empty where the row ends before it or the column is not there.
    pub(super) fn text(&self, name: &str) -> &str {
        self.columns
            .get(name)
            .and_then(|i| self.record.get(*i))
            .unwrap_or("")
    }

    /// A value of a cell, or what is wrong with it.
    pub(super) fn read<T: FromStr<Err: Display>>(&self, name: &str) -> Result<T, String> {
        match self.text(name) {
            "" => Err(format!("{name} is empty")),
            text => read(name, text),
        }
    }

    /// As `read`, with a value for an empty cell.
    pub(super) fn or<T: FromStr<Err: Display>>(&self, name: &str, empty: T) -> Result<T, String> {
        if self.text(name).is_empty() {
            Ok(empty)
        } else {
            self.read(name)
        }
    }
}
