//! `pikebell calc price`.

use std::io::{Read, Write};

use quant::{Accuracy, DividendModel, Error, Terms, Valuation, Vanilla, value_all};

use super::Outcome;
use super::table::{self, Answer};

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
    "vol",
    "dividends",
];
const RESULTS: [&str; 6] = ["price", "delta", "gamma", "theta_day", "vega_pt", "rho_pt"];

pub const HELP: &str = "\
Columns in (CSV with this header, any order):
  id          anything; given back
  kind        call | put
  style       european | american
  on          spot | future (Black 1976: discounted at the rate; the yield column is not used)
  underlying  price of the underlying, above zero
  strike      above zero
  t_years     years of 365 days to expiry
  rate        interest, continuously compounded per year (0.04)
  yield       dividend yield, continuously compounded per year
  vol         volatility per year as a fraction (0.25)
  dividends   cash, empty or time:amount;time:amount (years from now; the spot drops by the \
  amount then)
Columns out, per one unit of the underlying:
  id
  price
  delta       per unit of the underlying (of the future, on a future)
  gamma       change of delta per unit of the underlying
  theta_day   per calendar day, negative for decay; expiry and dividends come nearer together
  vega_pt     per +0.01 of volatility
  rho_pt      per +0.01 of rate; on a future with the future held fixed
  error       why the row could not be priced; empty otherwise
In the exercise region of an American option the price is the exercise value, delta ±1 and the \
other Greeks 0;
a Greek that does not exist (at expiry, at the strike) is empty.
Every digit of the 64-bit number is written. Exit status 1 if a row has an error.";

pub fn run(
    input: Box<dyn Read>,
    output: &mut dyn Write,
    accuracy: Accuracy,
) -> Result<Outcome, String> {
    table::run(input, output, &COLUMNS, &RESULTS, |rows| {
        table::options(
            rows,
            "vol",
            |options| {
                let contracts: Vec<Vanilla> = options
                    .iter()
                    .map(|(c, vol)| Vanilla {
                        terms: Terms {
                            vol: *vol,
                            ..c.terms
                        },
                        ..*c
                    })
                    .collect();
                let valued = value_all(&contracts, accuracy);
                contracts
                    .iter()
                    .zip(valued)
                    .map(|(c, v)| columns(&c.terms, c.spot, v))
                    .collect()
            },
            |option, vol| {
                let terms = Terms {
                    vol,
                    ..option.terms
                };
                let valued = DividendModel::new(&terms, &option.dividends, accuracy)
                    .and_then(|m| m.value(option.underlying));
                columns(&terms, option.underlying, valued)
            },
        )
    })
}

fn columns(terms: &Terms, underlying: f64, valued: Result<Valuation, Error>) -> Answer {
    let v = valued.map_err(|e| e.to_string())?;
    if terms.time == 0.0 && underlying == terms.strike {
        // The corner of the payoff has no derivatives.
        return Ok(vec![
            v.price,
            f64::NAN,
            f64::NAN,
            f64::NAN,
            f64::NAN,
            f64::NAN,
        ]);
    }
    Ok(vec![
        v.price,
        v.delta,
        v.gamma,
        v.theta_day,
        v.vega_point,
        v.rho_point,
    ])
}
