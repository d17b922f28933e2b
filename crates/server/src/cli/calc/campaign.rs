//! `pikebell calc campaign`.

use std::collections::VecDeque;
use std::io::{Read, Write};

use desk::position::{AtHorizon, Extreme, Outline, Position, PositionKind, PositionLeg};
use jiff::civil::{Date, DateTime};
use quant::{Accuracy, Kind, Style};
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

/// What is held: an option by kind, strike and expiration, or shares.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Contract {
    Option(Kind, f64, Date),
    Stock,
}

impl std::fmt::Display for Contract {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Contract::Stock => write!(f, "stock"),
            Contract::Option(kind, strike, expires) => {
                let kind = if *kind == Kind::Call { "call" } else { "put" };
                write!(f, "{kind} {strike} {expires}")
            }
        }
    }
}

fn contract(kind: &str, strike: Option<f64>, expires: Option<&String>) -> Result<Contract, String> {
    let kind = match kind {
        "call" => Kind::Call,
        "put" => Kind::Put,
        "stock" if strike.is_none() && expires.is_none() => return Ok(Contract::Stock),
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
    Ok(Contract::Option(kind, strike, date))
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

/// Quantities nearer to nothing than this are nothing: a sum of decimal fractions may miss it.
const NOTHING: f64 = 1e-9;

/// Sums of decimal amounts to the nearest 1e-8, so that what touches zero touches it.
fn exact(amount: f64) -> f64 {
    let rounded = (amount * 1e8).round() / 1e8;
    // Beyond this a double holds no 1e-8 any more.
    if amount.abs() < 1e7 { rounded } else { amount }
}

/// Open lots of one contract, oldest first: (quantity, price per unit).
struct Lots {
    contract: Contract,
    open: VecDeque<(f64, f64)>,
}

impl Lots {
    /// Trades so many at a price: what is opposite is closed, oldest first, and the rest opens. The
    /// profit per unit of the multiplier.
    fn trade(&mut self, mut quantity: f64, price: f64) -> f64 {
        let mut realised = 0.0;
        while quantity.abs() > NOTHING {
            let Some((held, opened)) = self.open.front_mut() else {
                break;
            };
            if held.signum() == quantity.signum() {
                break;
            }
            let closed = held.signum() * held.abs().min(quantity.abs());
            realised += closed * (price - *opened);
            *held -= closed;
            quantity += closed;
            if held.abs() <= NOTHING {
                self.open.pop_front();
            }
        }
        if quantity.abs() > NOTHING {
            self.open.push_back((quantity, price));
        }
        realised
    }

    fn quantity(&self) -> f64 {
        self.open.iter().map(|(n, _)| n).sum()
    }

    fn cost(&self) -> f64 {
        self.open.iter().map(|(n, price)| n * price).sum()
    }
}

/// The books of a campaign.
struct Books {
    lots: Vec<Lots>,
    chapters: Vec<Chapter>,
}

fn moment(at: &str) -> Result<DateTime, String> {
    let shaped = at.len() >= 16 && at.as_bytes()[10] == b'T';
    let read = shaped.then(|| at.parse::<DateTime>().ok()).flatten();
    read.ok_or_else(|| format!("at {at:?} is no moment; write one like 2031-03-11T10:42"))
}

fn book(case: &Case) -> Result<Books, String> {
    let mut books = Books {
        lots: Vec::new(),
        chapters: Vec::new(),
    };
    let (mut before, mut running) = (None, 0.0);
    for (i, fill) in case.fills.iter().enumerate() {
        let at = moment(&fill.at).map_err(|e| format!("fill {}: {e}", i + 1))?;
        if before.is_some_and(|b| at < b) {
            return Err(format!(
                "fill {}: {} is before the fill in front of it; write fills in the order of time",
                i + 1,
                fill.at
            ));
        }
        before = Some(at);
        if fill.legs.is_empty() {
            return Err(format!("fill {}: legs: at least one is needed", i + 1));
        }
        let (mut cash, mut realised) = (0.0, 0.0);
        for (j, leg) in fill.legs.iter().enumerate() {
            let place = |e: String| format!("fill {}, leg {}: {e}", i + 1, j + 1);
            let contract = contract(&leg.kind, leg.strike, leg.expires.as_ref()).map_err(place)?;
            if leg.qty == 0.0 {
                return Err(place("qty is 0".into()));
            }
            let units = multiplier(contract, case);
            let lots = match books.lots.iter().position(|l| l.contract == contract) {
                Some(at) => &mut books.lots[at],
                None => {
                    let open = VecDeque::new();
                    books.lots.push(Lots { contract, open });
                    books.lots.last_mut().ok_or("no lots")?
                }
            };
            cash -= leg.qty * leg.price * units;
            realised += lots.trade(leg.qty, leg.price) * units;
        }
        running += cash;
        books.chapters.push(Chapter {
            at: fill.at.clone(),
            cash: exact(cash),
            realised: exact(realised),
            fees: fill.fees,
            running: exact(running),
        });
    }
    books.lots.retain(|l| !l.open.is_empty());
    Ok(books)
}

fn multiplier(contract: Contract, case: &Case) -> f64 {
    match contract {
        Contract::Stock => 1.0,
        Contract::Option(..) => case.underlying.multiplier,
    }
}

/// What is held, as a position at no cost, and what it is worth at the marks.
fn marked(case: &Case, lots: &[Lots]) -> Result<(Vec<PositionLeg>, f64), String> {
    let mut marks = Vec::with_capacity(case.marks.len());
    for (i, m) in case.marks.iter().enumerate() {
        let found = contract(&m.kind, m.strike, m.expires.as_ref());
        marks.push((found.map_err(|e| format!("mark {}: {e}", i + 1))?, m));
    }
    let (mut legs, mut worth) = (Vec::new(), 0.0);
    let mut ends: Vec<(Date, f64)> = Vec::new();
    for l in lots {
        let name = l.contract;
        let mut own = marks.iter().filter(|(c, _)| *c == name);
        let (_, mark) = own
            .next()
            .ok_or_else(|| format!("marks: {name} is held and has no mark"))?;
        if own.next().is_some() {
            return Err(format!("marks: {name} has more than one mark"));
        }
        let need = |field: &str, value: Option<f64>| {
            value.ok_or_else(|| format!("marks: {name} has no {field}"))
        };
        let (price, units) = (need("price", mark.price)?, multiplier(name, case));
        worth += l.quantity() * price * units;
        let instrument = match name {
            Contract::Stock => PositionKind::Stock,
            Contract::Option(kind, strike, expires) => {
                let (time, vol) = (need("t_years", mark.t_years)?, need("vol", mark.vol)?);
                if time <= 0.0 {
                    return Err(format!(
                        "marks: {name} has t_years {time}; it must be above 0"
                    ));
                }
                match ends.iter().find(|(date, _)| *date == expires) {
                    Some((_, other)) if *other != time => {
                        return Err(format!(
                            "marks: {name} has t_years {time} where another of {expires} has \
                             {other}; one date has one figure"
                        ));
                    }
                    Some(_) => {}
                    None => ends.push((expires, time)),
                }
                PositionKind::Option {
                    kind,
                    style: Style::European,
                    strike,
                    time,
                    vol,
                }
            }
        };
        legs.push(PositionLeg {
            instrument,
            quantity: l.quantity(),
            multiplier: units,
            entry: 0.0,
        });
    }
    Ok((legs, worth))
}

fn limits(outline: &Outline) -> Limits {
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
    let sum = |f: fn(&Chapter) -> f64| exact(books.chapters.iter().map(f).sum());
    let (net_cash, realised, fees) = (sum(|c| c.cash), sum(|c| c.realised), sum(|c| c.fees));
    let cost = books
        .lots
        .iter()
        .map(|l| l.cost() * multiplier(l.contract, &case));
    let open_cost = exact(cost.sum());
    let (legs, worth) = marked(&case, &books.lots)?;
    let open_profit = exact(worth - open_cost);
    let total = exact(realised + open_profit - fees);
    let position = Position {
        spot: case.underlying.price,
        rate: case.rate,
        carry_yield: case.carry_yield,
        legs,
    };
    let booked = exact(realised - fees - open_cost);
    let at = |cash: f64| -> Result<(Option<AtHorizon>, Limits), String> {
        let horizon = position
            .horizon(case.prob_vol, cash, accuracy)
            .map_err(|e| e.to_string())?;
        let limits = match (&horizon, position.legs.is_empty()) {
            (Some(h), _) => limits(&h.outline),
            (None, true) => Limits::default(),
            // Shares alone: a straight line.
            (None, false) => limits(&position.line(cash)),
        };
        Ok((horizon, limits))
    };
    let (horizon, whole) = at(booked)?;
    let (_, alone) = at(-open_cost)?;
    let most = match horizon.as_ref().map(|h| &h.outline.most) {
        Some(Extreme::At { profit, .. }) => Some(*profit),
        Some(Extreme::Unlimited) => None,
        None => whole.max_profit.as_ref().and_then(Value::as_f64),
    };
    Ok(Answer {
        id: case.id,
        net_cash,
        fees,
        realised,
        open_cost,
        open_profit,
        total,
        percent_of_max: most.filter(|m| *m > 0.0).map(|m| 100.0 * total / m),
        horizon_t_years: horizon.as_ref().map(|h| h.time),
        whole,
        prob_profit: horizon.as_ref().map(|h| h.chance),
        expected_pl: horizon.as_ref().map(|h| h.expected),
        alone,
        chapters: books.chapters,
    })
}

pub fn run(
    input: Box<dyn Read>,
    output: &mut dyn Write,
    accuracy: Accuracy,
) -> Result<Outcome, String> {
    run_cases(input, output, |case| work(case, accuracy))
}
