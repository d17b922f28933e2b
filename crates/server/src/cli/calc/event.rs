//! `pikebell calc event`.

use std::io::{Read, Write};

use quant::{Accuracy, event_move};

use super::Outcome;
use super::table::{self, Row};

const COLUMNS: [&str; 6] = ["id", "t1", "vol1", "t2", "vol2", "t_event"];
const RESULTS: [&str; 3] = ["event_sd", "mean_move", "base_vol"];

pub const HELP: &str = "\
Columns in:
  id          anything; given back
  t1, vol1    years to the nearer expiration, and its volatility at the money
  t2, vol2    the same of the later one
  t_event     years to the first trading after the news
Columns out:
  id
  event_sd    standard deviation of the logarithm of the price at the event
  mean_move   mean size of that move: event_sd * sqrt(2/pi)
  base_vol    volatility a year without it
  error
Where only the later expiration contains the event, the nearer one is the base; where both do, what \
lies between them is. Exit status 1 if a row has an error.";

pub fn run(input: Box<dyn Read>, output: &mut dyn Write, _: Accuracy) -> Result<Outcome, String> {
    table::run(input, output, &COLUMNS, &RESULTS, |rows| {
        rows.iter().map(event).collect()
    })
}

fn event(row: &Row<'_>) -> Result<Vec<f64>, String> {
    let [t1, vol1, t2, vol2, at] =
        ["t1", "vol1", "t2", "vol2", "t_event"].map(|name| row.number(name));
    let found = event_move((t1?, vol1?), (t2?, vol2?), at?).map_err(|e| e.to_string())?;
    Ok(vec![found.deviation, found.mean_move, found.base_vol])
}
