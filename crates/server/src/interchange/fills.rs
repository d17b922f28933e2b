//! Executions made elsewhere, read from CSV; all of a file is booked or nothing of it, and problems
//! are told by line. What they mean is the engine's business.

use std::collections::{BTreeSet, HashMap};

use desk::{FillLeg, Instrument, Moment, Money, Price};
use engine::{Execution, PreparedHistory, State, history_problems, prepare_history};
use market::Quoter;
use serde::Serialize;
use utoipa::ToSchema;

use crate::interchange::statement::FILL_COLUMNS;

/// A line that cannot be booked.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct LineProblem {
    /// Line of the file, the header being 1.
    pub line: u64,
    /// What is wrong and what would be right.
    pub message: String,
}

/// One row of a file of executions.
struct Row {
    line: u64,
    at: Moment,
    symbol: String,
    leg: FillLeg,
    fees: Money,
}

/// Most rows of a file: so many are booked before anybody notices that they wait.
const MOST_ROWS: usize = 1_000;
/// Columns that may be absent.
const OPTIONAL: [&str; 2] = ["order", "fees"];

type Told<T> = Result<T, String>;

fn read_row(line: u64, get: &dyn Fn(&str) -> String) -> Told<Row> {
    let at: Moment = get("at")
        .parse()
        .map_err(|e: desk::MomentError| format!("at: {e}"))?;
    let symbol = get("symbol");
    let instrument: Instrument = get("instrument")
        .parse()
        .map_err(|e: desk::SymbolError| format!("instrument: {e}"))?;
    let text = get("quantity");
    let most = if instrument.option().is_some() {
        desk::MOST_CONTRACTS
    } else {
        desk::MOST_UNITS
    };
    let quantity: i64 = text.parse().map_err(|_| {
        format!("quantity: {text:?} is not a whole number; bought above zero, sold below")
    })?;
    if quantity == 0 || quantity.unsigned_abs() > most as u64 {
        return Err(format!(
            "quantity: {quantity} is outside of what one fill can be; write 1 to {most}, sold ones \
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
            terms: None,
        },
        fees,
    })
}

/// Counts lines up to ever later bytes.
struct Lines<'a> {
    text: &'a [u8],
    /// The lines that end before this byte.
    counted: u64,
    byte: usize,
}

impl Lines<'_> {
    /// Line of what stands at a byte, which is no earlier than the last one asked for; the end of
    /// the line before it may still lie ahead.
    fn at(&mut self, byte: usize) -> u64 {
        let byte = byte.clamp(self.byte, self.text.len());
        let ends = |bytes: &[u8]| bytes.iter().filter(|b| **b == b'\n').count() as u64;
        self.counted += ends(&self.text[self.byte..byte]);
        self.byte = byte;
        let after = &self.text[byte..];
        let blank = after
            .iter()
            .position(|b| !matches!(b, b'\r' | b'\n'))
            .unwrap_or(after.len());
        1 + self.counted + ends(&after[..blank])
    }
}

/// What a file says: the rows by the name of their execution, in the order of the file, and what is
/// wrong. Executions of which a row cannot be read are left out.
type Contents = (Vec<(String, Vec<Row>)>, Vec<LineProblem>);

/// Reads a file.
fn read(text: &str) -> Result<Contents, LineProblem> {
    let problem = |line: u64, message: String| LineProblem { line, message };
    let mut reader = csv::ReaderBuilder::new()
        .flexible(true)
        .from_reader(text.as_bytes());
    let headers = reader
        .headers()
        .map_err(|e| problem(1, e.to_string()))?
        .clone();
    if let Some(message) = lacking(&headers) {
        return Err(problem(1, message));
    }
    let mut problems = Vec::new();
    let mut fills: Vec<(String, Vec<Row>)> = Vec::new();
    let mut places: HashMap<String, usize> = HashMap::new();
    let mut spoiled = BTreeSet::new();
    let mut lines = Lines {
        text: text.as_bytes(),
        counted: 0,
        byte: 0,
    };
    for (count, record) in reader.records().enumerate() {
        let line = count as u64 + 2;
        if count >= MOST_ROWS {
            problems.push(problem(
                line,
                format!(
                    "more than {MOST_ROWS} rows; split the file and give the oldest rows first"
                ),
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
            .map_or(line, |p| lines.at(p.byte() as usize));
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
            match read_row(line, &get) {
                Ok(row) => match places.get(&id) {
                    Some(place) => fills[*place].1.push(row),
                    None => {
                        places.insert(id.clone(), fills.len());
                        fills.push((id, vec![row]));
                    }
                },
                Err(message) => {
                    problems.push(problem(line, message));
                    spoiled.insert(id);
                }
            }
        }
    }
    if problems.is_empty() && fills.is_empty() {
        problems.push(problem(1, "the file has no rows".into()));
    }
    fills.retain(|(name, _)| !spoiled.contains(name));
    Ok((fills, problems))
}

/// What a header lacks, if anything.
fn lacking(headers: &csv::StringRecord) -> Option<String> {
    let needed = FILL_COLUMNS.into_iter().filter(|c| !OPTIONAL.contains(c));
    let missing: Vec<&str> = needed
        .filter(|c| !headers.iter().any(|h| h.trim() == *c))
        .collect();
    (!missing.is_empty()).then(|| {
        format!(
            "the header lacks {}; it has the columns {}",
            missing.join(", "),
            FILL_COLUMNS.join(",")
        )
    })
}

/// The execution that some rows are.
fn execution(name: &str, rows: &[Row]) -> Result<Execution, LineProblem> {
    let first = &rows[0];
    let differs = |r: &&Row| (r.at, &r.symbol) != (first.at, &first.symbol);
    if let Some(other) = rows.iter().find(differs) {
        return Err(LineProblem {
            line: other.line,
            message: format!(
                "the rows of fill {name} have one moment and one symbol; line {} has {} and {}",
                first.line, first.at, first.symbol
            ),
        });
    }
    Ok(Execution {
        name: name.to_owned(),
        at: first.at,
        symbol: first.symbol.clone(),
        legs: rows.iter().map(|r| r.leg.clone()).collect(),
        fees: rows.iter().map(|r| r.fees).sum(),
    })
}

/// The executions of a file, booked on a copy of a state; or what is wrong with which line. Nothing
/// of a file is booked where anything is wrong with it.
///
/// # Errors
/// What is wrong, by line.
pub fn prepare_fills(
    state: &State,
    quoter: &mut Quoter,
    text: &str,
) -> Result<PreparedHistory, Vec<LineProblem>> {
    let (fills, mut problems) = read(text).map_err(|problem| vec![problem])?;
    let (mut executions, mut lines) = (Vec::new(), Vec::new());
    for (name, rows) in &fills {
        match execution(name, rows) {
            Ok(e) => {
                executions.push(e);
                lines.push(rows[0].line);
            }
            Err(problem) => problems.push(problem),
        }
    }
    let wrong = if problems.is_empty() {
        match prepare_history(state, quoter, &executions) {
            Ok(prepared) => return Ok(prepared),
            Err(wrong) => wrong,
        }
    } else {
        history_problems(state, &executions)
    };
    problems.extend(wrong.into_iter().map(|p| LineProblem {
        line: lines[p.execution],
        message: p.message,
    }));
    problems.sort_by_key(|p| p.line);
    Err(problems)
}
