//! Tables as RFC 4180 has them, whose columns are found by name and whose bad rows are refused one
//! by one.

use std::collections::BTreeMap;
use std::fmt::Display;
use std::io::Read;
use std::str::FromStr;

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

/// A table whose columns are found by name.
pub(super) struct Table {
    reader: csv::Reader<std::io::Cursor<Vec<u8>>>,
    columns: BTreeMap<String, usize>,
    /// Where each line ends.
    ends: Vec<u64>,
}

/// One row of a table.
pub(super) struct Row<'a> {
    record: &'a csv::StringRecord,
    columns: &'a BTreeMap<String, usize>,
}

impl Table {
    /// Reads the first row; `needed` columns must be there.
    pub(super) fn open(mut input: impl Read, needed: &[&str]) -> Result<Table, String> {
        let mut bytes = Vec::new();
        input
            .read_to_end(&mut bytes)
            .map_err(|e| format!("reading: {e}"))?;
        let ends = (0..)
            .zip(&bytes)
            .filter(|(_, b)| **b == b'\n')
            .map(|(i, _)| i)
            .collect();
        let mut reader = csv::ReaderBuilder::new()
            .flexible(true)
            .trim(csv::Trim::Headers)
            .from_reader(std::io::Cursor::new(bytes));
        let headers = reader
            .headers()
            .map_err(|e| format!("line 1: {e}"))?
            .clone();
        let columns: BTreeMap<String, usize> = headers
            .iter()
            .enumerate()
            .map(|(i, name)| (name.to_owned(), i))
            .collect();
        match needed.iter().find(|name| !columns.contains_key(**name)) {
            Some(missing) => Err(format!(
                "line 1: there is no column {missing:?}; needed are {}",
                needed.join(", ")
            )),
            None => Ok(Table {
                reader,
                columns,
                ends,
            }),
        }
    }

    /// Gives each row to `take`; what it refuses, and what is no row at all, comes back with its
    /// line.
    pub(super) fn rows(
        mut self,
        mut take: impl FnMut(&Row<'_>) -> Result<(), String>,
    ) -> Vec<BadRow> {
        let mut bad = Vec::new();
        let mut record = csv::StringRecord::new();
        loop {
            // A row may begin with the end of the line before it.
            let begin = self.reader.position().byte();
            let line = self.ends.partition_point(|end| *end <= begin) as u64 + 1;
            match self.reader.read_record(&mut record) {
                Ok(false) => return bad,
                Ok(true) => {
                    if let Err(what) = take(&Row {
                        record: &record,
                        columns: &self.columns,
                    }) {
                        bad.push(BadRow { line, what });
                    }
                }
                Err(e) => bad.push(BadRow {
                    line,
                    what: e.to_string(),
                }),
            }
        }
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
