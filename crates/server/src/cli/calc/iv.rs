//! `pikebell calc iv`.

use std::io::{Read, Write};

use quant::{Accuracy, ImpliedError, implied_vol_all, implied_vol_with_dividends};

use super::Outcome;
use super::table;

const COLUMNS: [&str; 11] = [
    "id",
    "kind",
    "style",
    "on",
    "underlying",
    "strike",
    "t_years",
    "rate",
    "yield",
    "price",
    "dividends",
];

pub const HELP: &str = "\
Columns in: as for `calc price`, with price in place of vol (per one unit of the underlying).
Columns out:
  id
  iv     the volatility per year, as a fraction, at which the option costs that price
  error  why there is none: which no-arbitrage bound the price breaks, no time left, or a cell \
  that cannot be read
Exit status 1 if a row has an error.";

pub fn run(
    input: Box<dyn Read>,
    output: &mut dyn Write,
    accuracy: Accuracy,
) -> Result<Outcome, String> {
    let answer = |vol: Result<f64, ImpliedError>| vol.map(|v| vec![v]).map_err(|e| e.to_string());
    table::run(input, output, &COLUMNS, &["iv"], |rows| {
        table::options(
            rows,
            "price",
            |priced| {
                implied_vol_all(priced, accuracy)
                    .into_iter()
                    .map(answer)
                    .collect()
            },
            |option, price| {
                answer(implied_vol_with_dividends(
                    &option.terms,
                    &option.dividends,
                    option.underlying,
                    price,
                    accuracy,
                ))
            },
        )
    })
}
