//! `pikebell calc iv`.

use std::io::{Read, Write};

use quant::{Accuracy, implied_vol_near, implied_vol_with_dividends};

use super::Outcome;
use super::table::{self, OptionRow, Row};

const COLUMNS: [&str; 11] = ["id", "kind", "style", "on", "underlying", "strike", "t_years", "rate", "yield", "price", "dividends"];

pub const HELP: &str = "\
Columns in: as for `calc price`, with price in place of vol (per one unit of the underlying).
Columns out:
  id
  iv     the volatility per year, as a fraction, at which the option costs that price
  error  why there is none: which no-arbitrage bound the price breaks, no time left, or a cell that cannot be read
Exit status 1 if a row has an error.";

pub fn run(input: Box<dyn Read>, output: &mut dyn Write, accuracy: Accuracy) -> Result<Outcome, String> {
    table::run(input, output, &COLUMNS, &["iv"], |row| implied(row, accuracy))
}

fn implied(row: &Row<'_>, accuracy: Accuracy) -> Result<Vec<f64>, String> {
    let option = OptionRow::read(row)?;
    let price = row.number("price")?;
    let found = if option.dividends.is_empty() {
        implied_vol_near(&option.terms, option.underlying, price, 0.3, accuracy)
    } else {
        implied_vol_with_dividends(&option.terms, &option.dividends, option.underlying, price, accuracy)
    };
    Ok(vec![found.map_err(|e| e.to_string())?])
}
