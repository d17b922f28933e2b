//! `pikebell calc chance`.

use std::io::{Read, Write};

use quant::{Accuracy, Lognormal, touch};

use super::Outcome;
use super::table::{self, Row};

const COLUMNS: [&str; 8] = [
    "id",
    "underlying",
    "low",
    "high",
    "t_years",
    "vol",
    "rate",
    "yield",
];
const RESULTS: [&str; 8] = [
    "below",
    "between",
    "above",
    "touch_low",
    "touch_high",
    "touch_either",
    "touch_both",
    "touch_neither",
];

pub const HELP: &str = "\
Columns in:
  id          anything; given back
  underlying  price now, above zero
  low, high   the two prices, low not above high
  t_years     years of 365 days
  vol         volatility per year as a fraction
  rate, yield continuously compounded per year; the price drifts at their difference
Columns out, chances between 0 and 1 under a lognormal price watched continuously:
  id
  below, between, above                            where the price stands at the end
  touch_low, touch_high                            it reaches that price on the way, whatever \
  else happens
  touch_either, touch_both, touch_neither
  error
A barrier already at or behind the price counts as touched. Exit status 1 if a row has an error.";

pub fn run(input: Box<dyn Read>, output: &mut dyn Write, _: Accuracy) -> Result<Outcome, String> {
    table::run(input, output, &COLUMNS, &RESULTS, |rows| {
        rows.iter().map(chance).collect()
    })
}

fn chance(row: &Row<'_>) -> Result<Vec<f64>, String> {
    let [underlying, low, high, time, vol, rate, carry_yield] = [
        "underlying",
        "low",
        "high",
        "t_years",
        "vol",
        "rate",
        "yield",
    ]
    .map(|name| row.number(name));
    let (underlying, low, high, time, vol, drift) =
        (underlying?, low?, high?, time?, vol?, rate? - carry_yield?);
    let t = touch(underlying, low, high, drift, vol, time).map_err(|e| e.to_string())?;
    let end = Lognormal::new(underlying, drift, vol, time).map_err(|e| e.to_string())?;
    let (below, above) = (end.below(low), end.above(high));
    Ok(vec![
        below,
        (1.0 - below - above).max(0.0),
        above,
        t.low,
        t.high,
        t.either,
        t.both,
        t.neither,
    ])
}
