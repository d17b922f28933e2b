//! `pikebell calc campaign`.

use std::io::{Read, Write};

use desk::fills::{Booked, FillBooks, FillContract, Mark, Trade};
use desk::position::{Extreme, Outline};
use jiff::civil::DateTime;
use quant::{Accuracy, Kind};
use serde::{Deserialize, Serialize};
use serde_json::Value;

use super::position::limit;
use super::{Outcome, run_cases};

pub const HELP: &str = r#"In (JSON): {"cases":[{"id","at","underlying":{"price","multiplier"},"rate","yield","prob_vol",
                     "fills":[{"at","legs":[…],"fees"}],"marks":[…]}…]}
  legs   {"kind","strike","expires","qty","price"}: kind call | put | stock (a stock has no strike and
         no expiration, and a multiplier of 1); qty signed; price per unit
  marks  {"kind","strike","expires","t_years","price","vol"}: one for each contract still held
  fees   above zero where paid; at YYYY-MM-DDTHH:MM, fills in the order of time
Out, in the same order: {"cases":[…]}; money
  net_cash        cash of all fills before fees, received above zero
  realised        of what is closed, first in first out within a contract, before fees
  open_cost       paid for what is open, received below zero; net_cash = realised - open_cost
  open_profit     of what is open, at the marks; total = realised + open_profit - fees
  horizon_t_years, max_profit, max_profit_side, max_loss, max_loss_side, break_evens, zero_ranges,
  prob_profit, expected_pl   of the whole campaign at the first expiration, as in `calc position`
  percent_of_max  100 * total / max_profit; null where that is unlimited or not above zero
  alone           {"max_profit",…,"zero_ranges"} of the open legs, without what was realised and fees
  chapters        {"at","cash","realised","fees","running"}, one a fill; running is the net cash so far
A case that cannot be read has "id" and "error"; exit status 1 then."#;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Case {
    #[serde(default)]
    id: Value,
    at: String,
    underlying: UnderlyingIn,
    rate: f64,
    #[serde(rename = "yield")]
    carry_yield: f64,
    prob_vol: f64,
    fills: Vec<FillIn>,
    #[serde(default)]
    marks: Vec<MarkIn>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct UnderlyingIn {
    price: f64,
    multiplier: f64,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct FillIn {
    at: String,
    legs: Vec<LegIn>,
    fees: f64,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct LegIn {
    kind: String,
    strike: Option<f64>,
    expires: Option<String>,
    qty: f64,
    price: f64,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct MarkIn {
    kind: String,
    strike: Option<f64>,
    expires: Option<String>,
    t_years: Option<f64>,
    price: Option<f64>,
    vol: Option<f64>,
}

fn contract(
    kind: &str,
    strike: Option<f64>,
    expires: Option<&String>,
) -> Result<FillContract, String> {
    let kind = match kind {
        "call" => Kind::Call,
        "put" => Kind::Put,
        "stock" if strike.is_none() && expires.is_none() => return Ok(FillContract::Stock),
        "stock" => return Err("a stock has no strike and no expires".into()),
        other => {
            return Err(format!(
                "kind {other:?} is not known; write call, put or stock"
            ));
        }
    };
    let strike = strike.ok_or("strike is missing")?;
    let expires = expires.ok_or("expires is missing")?;
    let date = expires
        .parse()
        .map_err(|_| format!("expires {expires:?} is no date; write one like 2031-03-21"))?;
    Ok(FillContract::Option(kind, strike, date))
}

#[derive(Serialize)]
struct Chapter {
    at: String,
    cash: f64,
    realised: f64,
    fees: f64,
    running: f64,
}

#[derive(Serialize, Default)]
struct Limits {
    max_profit: Option<Value>,
    max_profit_side: Option<&'static str>,
    max_loss: Option<Value>,
    max_loss_side: Option<&'static str>,
    break_evens: Vec<f64>,
    zero_ranges: Vec<(f64, Option<f64>)>,
}

#[derive(Serialize)]
struct Answer {
    id: Value,
    net_cash: f64,
    fees: f64,
    realised: f64,
    open_cost: f64,
    open_profit: f64,
    total: f64,
    percent_of_max: Option<f64>,
    horizon_t_years: Option<f64>,
    #[serde(flatten)]
    whole: Limits,
    prob_profit: Option<f64>,
    expected_pl: Option<f64>,
    alone: Limits,
    chapters: Vec<Chapter>,
}

fn moment(at: &str) -> Result<DateTime, String> {
    let shaped = at.len() >= 16 && at.as_bytes()[10] == b'T';
    let read = shaped.then(|| at.parse::<DateTime>().ok()).flatten();
    read.ok_or_else(|| format!("at {at:?} is no moment; write one like 2031-03-11T10:42"))
}

/// The books of a case: its fills in the order of time, each trade a contract that is known.
fn book(case: &Case) -> Result<FillBooks, String> {
    let mut books = FillBooks::new(case.underlying.multiplier);
    let mut before = None;
    for (i, fill) in case.fills.iter().enumerate() {
        let number = i + 1;
        let at = moment(&fill.at).map_err(|e| format!("fill {number}: {e}"))?;
        if before.is_some_and(|b| at < b) {
            return Err(format!(
                "fill {number}: {} is before the fill in front of it; write fills in the order of \
                 time",
                fill.at
            ));
        }
        before = Some(at);
        if fill.legs.is_empty() {
            return Err(format!("fill {number}: legs: at least one is needed"));
        }
        let trade = |(j, leg): (usize, &LegIn)| {
            let place = |e: String| format!("fill {number}, leg {}: {e}", j + 1);
            let contract = contract(&leg.kind, leg.strike, leg.expires.as_ref()).map_err(place)?;
            if leg.qty == 0.0 {
                return Err(place("qty is 0".into()));
            }
            Ok(Trade {
                contract,
                quantity: leg.qty,
                price: leg.price,
            })
        };
        let trades: Vec<Trade> = fill
            .legs
            .iter()
            .enumerate()
            .map(trade)
            .collect::<Result<_, String>>()?;
        books.fill(&trades, fill.fees);
    }
    Ok(books)
}

fn mark((i, m): (usize, &MarkIn)) -> Result<Mark, String> {
    let contract = contract(&m.kind, m.strike, m.expires.as_ref());
    Ok(Mark {
        contract: contract.map_err(|e| format!("mark {}: {e}", i + 1))?,
        price: m.price,
        time: m.t_years,
        vol: m.vol,
    })
}

fn limits(outline: Option<&Outline>) -> Limits {
    let Some(outline) = outline else {
        return Limits::default();
    };
    let (most, least) = (limit(&outline.most, 1.0), limit(&outline.least, -1.0));
    Limits {
        max_profit: Some(most.0),
        max_profit_side: most.1,
        max_loss: Some(least.0),
        max_loss_side: least.1,
        break_evens: outline
            .break_evens
            .iter()
            .copied()
            .filter(|p| *p > 0.0)
            .collect(),
        zero_ranges: outline.zero_ranges.clone(),
    }
}

fn work(case: Case, accuracy: Accuracy) -> Result<Answer, String> {
    moment(&case.at)?;
    if case.fills.is_empty() {
        return Err("fills: at least one is needed".into());
    }
    let books = book(&case)?;
    let marks: Vec<Mark> = case
        .marks
        .iter()
        .enumerate()
        .map(mark)
        .collect::<Result<_, _>>()?;
    let marked = books.marked(&marks).map_err(|e| e.to_string())?;
    let market = (case.underlying.price, case.rate, case.carry_yield);
    let [whole, alone] = books
        .endings(&marked, market, case.prob_vol, accuracy)
        .map_err(|e| e.to_string())?;
    let total = books.total(&marked);
    let most = match whole.outline.as_ref().map(|o| &o.most) {
        Some(Extreme::At { profit, .. }) => Some(*profit),
        Some(Extreme::Unlimited) | None => None,
    };
    let horizon = whole.horizon.as_ref();
    let chapter = |(fill, b): (&FillIn, &Booked)| Chapter {
        at: fill.at.clone(),
        cash: b.cash,
        realised: b.realised,
        fees: b.fees,
        running: b.running,
    };
    Ok(Answer {
        id: case.id,
        net_cash: books.net_cash(),
        fees: books.fees(),
        realised: books.realised(),
        open_cost: books.open_cost(),
        open_profit: books.open_profit(&marked),
        total,
        percent_of_max: most.filter(|m| *m > 0.0).map(|m| 100.0 * total / m),
        horizon_t_years: horizon.map(|h| h.time),
        prob_profit: horizon.map(|h| h.chance),
        expected_pl: horizon.map(|h| h.expected),
        whole: limits(whole.outline.as_ref()),
        alone: limits(alone.outline.as_ref()),
        chapters: case.fills.iter().zip(&books.booked).map(chapter).collect(),
    })
}

pub fn run(
    input: Box<dyn Read>,
    output: &mut dyn Write,
    accuracy: Accuracy,
) -> Result<Outcome, String> {
    run_cases(input, output, |case| work(case, accuracy))
}
