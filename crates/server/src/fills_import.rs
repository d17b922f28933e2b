//! Executions made elsewhere, read from CSV and booked: all of a file or nothing of it, problems
//! told by line.

use std::collections::BTreeMap;
use std::sync::Arc;

use desk::order::Event;
use desk::{
    Contract, Fill, FillLeg, Holding, Instrument, Leg, Link, Moment, Money, Order, Price, Pricing,
    Purpose, Request, TimeInForce,
};
use serde::Serialize;
use store::Fact;
use utoipa::ToSchema;

use crate::refusal::Refusal;
use crate::state::{Desk, State};
use crate::statement::FILL_COLUMNS;
use crate::trading::book_fill;

/// A line that cannot be booked.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct LineProblem {
    /// Line of the file, the header being 1.
    pub line: u64,
    /// What is wrong and what would be right.
    pub message: String,
}

/// One row.
struct Row {
    line: u64,
    at: Moment,
    symbol: String,
    leg: FillLeg,
    fees: Money,
}

/// Most rows of a file.
const MOST_ROWS: usize = 10_000;
/// Columns that may be absent.
const OPTIONAL: [&str; 2] = ["order", "fees"];

type Told<T> = Result<T, String>;

fn read_row(state: &State, line: u64, get: &dyn Fn(&str) -> String) -> Told<Row> {
    let at: Moment = get("at")
        .parse()
        .map_err(|e: desk::MomentError| format!("at: {e}"))?;
    let begun = state
        .account
        .entries()
        .first()
        .map_or(state.clock.now, |e| e.at);
    if at > state.clock.now || at < begun {
        return Err(format!(
            "at: {at} lies outside of the account's life; write a moment from {begun} to {}",
            state.clock.now
        ));
    }
    let symbol = get("symbol");
    let underlying = state
        .world
        .underlying(&symbol)
        .ok_or_else(|| format!("symbol: {symbol:?} is not known"))?;
    let instrument: Instrument = get("instrument")
        .parse()
        .map_err(|e: desk::SymbolError| format!("instrument: {e}"))?;
    match &instrument {
        Instrument::Option(c) => listed(state, underlying, c)?,
        Instrument::Underlying(own) if *own != symbol => {
            return Err(format!("instrument: {own} does not belong to {symbol}"));
        }
        Instrument::Underlying(_) if underlying.kind == desk::UnderlyingKind::Index => {
            return Err(format!(
                "instrument: {symbol} is an index and cannot be held"
            ));
        }
        Instrument::Underlying(_) => {}
    }
    let text = get("quantity");
    let most = if instrument.option().is_some() {
        desk::MOST_CONTRACTS
    } else {
        desk::MOST_UNITS
    };
    let quantity: i64 = text.parse().map_err(|_| {
        format!("quantity: {text:?} is not a whole number; bought above zero, sold below")
    })?;
    if quantity == 0 || quantity.abs() > most {
        return Err(format!(
            "quantity: {quantity} is outside of what can be held; write 1 to {most}, sold ones \
             below zero"
        ));
    }
    let price: Price = get("price")
        .parse()
        .map_err(|e: desk::NumberError| format!("price: {e}"))?;
    if price < Price::ZERO || price > Price::cents(100_000_000) {
        return Err(format!("price: {price} is no price; write zero or more"));
    }
    let fees = match get("fees").as_str() {
        "" => Money::ZERO,
        text => text
            .parse()
            .map_err(|e: desk::NumberError| format!("fees: {e}"))?,
    };
    if fees < Money::ZERO || fees > Money::whole(100_000) {
        return Err(format!(
            "fees: {fees} is outside of what fees can be; write zero or more"
        ));
    }
    Ok(Row {
        line,
        at,
        symbol,
        leg: FillLeg {
            instrument,
            quantity,
            price,
        },
        fees,
    })
}

fn listed(state: &State, underlying: &desk::Underlying, c: &Contract) -> Told<()> {
    if !underlying.owns_root(&c.root) {
        return Err(format!(
            "instrument: {c} does not belong to {}",
            underlying.symbol
        ));
    }
    if underlying.expiry_moment(c) <= state.clock.now {
        return Err(format!(
            "instrument: {c} has expired; what became of it can no longer be worked out"
        ));
    }
    market::check_listed(&state.world, c, state.clock.now).map_err(|e| format!("instrument: {e}"))
}

/// Line of what stands at a byte; the end of the line before it may still lie ahead.
fn line_at(text: &str, byte: usize) -> u64 {
    let (before, after) = text.as_bytes().split_at(byte.min(text.len()));
    let ends = after
        .iter()
        .take_while(|b| matches!(b, b'\r' | b'\n'))
        .chain(before)
        .filter(|b| **b == b'\n');
    1 + ends.count() as u64
}

/// Reads a file into executions by their name, in the order of the file.
fn read(state: &State, text: &str) -> Result<Vec<(String, Vec<Row>)>, Vec<LineProblem>> {
    let problem = |line: u64, message: String| LineProblem { line, message };
    let mut reader = csv::ReaderBuilder::new()
        .flexible(true)
        .from_reader(text.as_bytes());
    let headers = reader
        .headers()
        .map_err(|e| vec![problem(1, e.to_string())])?
        .clone();
    let needed: Vec<&str> = FILL_COLUMNS
        .into_iter()
        .filter(|c| !OPTIONAL.contains(c))
        .collect();
    let missing: Vec<&str> = needed
        .into_iter()
        .filter(|c| !headers.iter().any(|h| h.trim() == *c))
        .collect();
    if !missing.is_empty() {
        return Err(vec![problem(
            1,
            format!(
                "the header lacks {}; it has the columns {}",
                missing.join(", "),
                FILL_COLUMNS.join(",")
            ),
        )]);
    }
    let mut problems = Vec::new();
    let mut fills: Vec<(String, Vec<Row>)> = Vec::new();
    for (count, record) in reader.records().enumerate() {
        let line = count as u64 + 2;
        if count >= MOST_ROWS {
            problems.push(problem(
                line,
                format!("more than {MOST_ROWS} rows; split the file"),
            ));
            break;
        }
        let record = match record {
            Ok(record) => record,
            Err(e) => {
                problems.push(problem(line, e.to_string()));
                continue;
            }
        };
        let line = record
            .position()
            .map_or(line, |p| line_at(text, p.byte() as usize));
        let get = |name: &str| {
            let at = headers.iter().position(|h| h.trim() == name);
            let text = at.and_then(|i| record.get(i)).unwrap_or_default();
            // Padding inside an option's symbol is part of it.
            if name == "instrument" {
                text.to_owned()
            } else {
                text.trim().to_owned()
            }
        };
        let id = get("fill");
        if record.len() != headers.len() {
            problems.push(problem(
                line,
                format!(
                    "{} fields where the header has {}",
                    record.len(),
                    headers.len()
                ),
            ));
        } else if !(1..=40).contains(&id.chars().count()) {
            problems.push(problem(
                line,
                "fill: the name of the execution is missing or longer than 40 characters".into(),
            ));
        } else {
            match read_row(state, line, &get) {
                Ok(row) => match fills.iter_mut().find(|(known, _)| *known == id) {
                    Some((_, rows)) => rows.push(row),
                    None => fills.push((id, vec![row])),
                },
                Err(message) => problems.push(problem(line, message)),
            }
        }
    }
    if problems.is_empty() && fills.is_empty() {
        problems.push(problem(1, "the file has no rows".into()));
    }
    if problems.is_empty() {
        Ok(fills)
    } else {
        Err(problems)
    }
}

/// An order that was filled as the rows say.
fn order_of(state: &State, id: u64, name: &str, rows: &[Row]) -> Result<Order, LineProblem> {
    let first = &rows[0];
    let wrong = |row: &Row, message: String| LineProblem {
        line: row.line,
        message,
    };
    if let Some(other) = rows
        .iter()
        .find(|r| (r.at, &r.symbol) != (first.at, &first.symbol))
    {
        return Err(wrong(
            other,
            format!(
                "the rows of fill {name} have one moment and one symbol; line {} has {} and {}",
                first.line, first.at, first.symbol
            ),
        ));
    }
    let structure = Holding::new(rows.iter().map(|r| Leg {
        instrument: r.leg.instrument.clone(),
        quantity: r.leg.quantity,
    }));
    let structure = structure.map_err(|e| wrong(first, format!("fill {name}: {e}")))?;
    if structure.legs().len() != rows.len() {
        return Err(wrong(
            first,
            format!("fill {name} has an instrument twice; write it once with its whole quantity"),
        ));
    }
    let underlying = state
        .world
        .underlying(&first.symbol)
        .ok_or_else(|| wrong(first, format!("{} is not known", first.symbol)))?;
    let (unit, packages) = (structure.unit(), structure.packages());
    let legs = rows.iter().map(|r| {
        (
            r.leg.price,
            r.leg.quantity * underlying.units(&r.leg.instrument),
        )
    });
    let price = Price::weighed(legs, packages * underlying.price_units(&unit));
    // A fill that takes back what one campaign holds closes it.
    let mut campaigns: Vec<u64> = state.account.lots().iter().map(|l| l.campaign).collect();
    campaigns.dedup();
    let closes = campaigns.into_iter().find(|c| {
        rows.iter().all(|r| {
            let held = state.account.held_by(*c, &r.leg.instrument);
            held.signum() == -r.leg.quantity.signum() && held.abs() >= r.leg.quantity.abs()
        })
    });
    let request = Request {
        client_id: client_id(name),
        symbol: first.symbol.clone(),
        unit,
        quantity: packages,
        pricing: Pricing::Limit(price),
        trigger: None,
        link: Link::default(),
        time_in_force: TimeInForce::Day,
        purpose: closes.map_or(Purpose::Open, Purpose::Close),
    };
    let fees = rows.iter().map(|r| r.fees).sum();
    let fill = Fill {
        order: id,
        at: first.at,
        packages,
        price,
        legs: rows.iter().map(|r| r.leg.clone()).collect(),
        fees,
    };
    Ok(Order {
        id,
        placed: first.at,
        request,
        events: vec![(first.at, Event::Accepted), (first.at, Event::Filled(fill))],
    })
}

fn client_id(name: &str) -> String {
    format!("import:{name}")
}

impl Desk {
    /// Books the executions of a file, oldest first, or none of them; how many there were, or what
    /// is wrong by line.
    pub fn import_fills(&mut self, text: &str) -> Result<Result<usize, Vec<LineProblem>>, Refusal> {
        let mut fills = match read(&self.state, text) {
            Ok(fills) => fills,
            Err(problems) => return Ok(Err(problems)),
        };
        fills.sort_by_key(|(_, rows)| rows[0].at);
        let known: BTreeMap<&str, u64> = self
            .state
            .orders
            .iter()
            .map(|o| (o.request.client_id.as_str(), o.id))
            .collect();
        let mut problems: Vec<LineProblem> = fills
            .iter()
            .filter_map(|(name, rows)| {
                let order = known.get(client_id(name).as_str())?;
                Some(LineProblem {
                    line: rows[0].line,
                    message: format!("fill {name} is booked already, as order {order}"),
                })
            })
            .collect();
        let mut next = self.state.clone();
        let mut facts = Vec::new();
        for (name, rows) in &fills {
            let id = next.orders.last().map_or(1, |o| o.id + 1);
            match order_of(&next, id, name, rows) {
                Err(problem) => problems.push(problem),
                Ok(order) => {
                    let fill = order.fills().next().cloned();
                    facts.push(Fact::Placed(order.clone()));
                    let place = next.add(order);
                    let order = Arc::clone(&next.orders[place]);
                    facts.extend(fill.and_then(|f| book_fill(&mut next, &order, &f)));
                }
            }
        }
        if !problems.is_empty() {
            problems.sort_by_key(|p| p.line);
            return Ok(Err(problems));
        }
        next.version += 1;
        self.commit(next, &facts)?;
        Ok(Ok(fills.len()))
    }
}
