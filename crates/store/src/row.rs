//! What rows of every table share: how they are declared, and what a value that cannot be read is told as.

use desk::rules::{Condition, Measure, Side};
use desk::{BellSide, Decimal};
use jiff::civil::Date;

use crate::StoreError;

macro_rules! row {
    ($name:ident, $table:ident, { $($field:ident : $type:ty),* $(,)? }) => {
        #[derive(Debug, Clone, Queryable, Selectable, Insertable)]
        #[diesel(table_name = $table, check_for_backend(diesel::sqlite::Sqlite))]
        #[diesel(treat_none_as_default_value = false)]
        pub(crate) struct $name { $(pub $field: $type),* }
    };
}

pub(crate) use row;

pub(crate) fn broken(table: &'static str, row: i64, what: impl std::fmt::Display) -> StoreError {
    StoreError::Row {
        table,
        row,
        what: what.to_string(),
    }
}

/// A side of a level by its word.
pub(crate) fn bell_side_of(
    table: &'static str,
    row: i64,
    word: &str,
) -> Result<BellSide, StoreError> {
    match word {
        "above" => Ok(BellSide::Above),
        "below" => Ok(BellSide::Below),
        other => Err(broken(table, row, format!("side {other:?} is unknown"))),
    }
}

/// A date by its text.
pub(crate) fn date(table: &'static str, row: i64, text: &str) -> Result<Date, StoreError> {
    text.parse().map_err(|e| broken(table, row, e))
}

/// A condition by the words of its measure and side, and its limit.
pub(crate) fn condition(
    table: &'static str,
    row: i64,
    (measure, side, limit): (&str, &str, i64),
) -> Result<Condition, StoreError> {
    let found = Measure::of_word(measure);
    Ok(Condition {
        measure: found
            .ok_or_else(|| broken(table, row, format!("measure {measure:?} is unknown")))?,
        side: match bell_side_of(table, row, side)? {
            BellSide::Above => Side::Above,
            BellSide::Below => Side::Below,
        },
        limit: Decimal::from_raw(limit),
    })
}
