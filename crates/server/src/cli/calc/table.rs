//! CSV in, CSV out (RFC 4180), block by block, rows in parallel.

use std::collections::HashMap;
use std::io::{Read, Write};

use quant::{Dividend, Kind, PricedOn, Style, Terms, Vanilla};
use rayon::prelude::*;

use super::Outcome;

/// Rows read before any is written, and rows handed to one core together.
const BLOCK: usize = 4_096;
const PART: usize = 128;

/// A row's output columns after `id`, or its error.
pub type Answer = Result<Vec<f64>, String>;

/// One row of input by column name.
pub struct Row<'a> {
    columns: &'a HashMap<String, usize>,
    record: &'a csv::StringRecord,
}

impl Row<'_> {
    /// A cell without surrounding blanks.
    pub fn text(&self, name: &str) -> &str {
        self.columns
            .get(name)
            .and_then(|i| self.record.get(*i))
            .unwrap_or("")
            .trim()
    }

    /// A finite number.
    pub fn number(&self, name: &str) -> Result<f64, String> {
        let text = self.text(name);
        let value: f64 = text
            .parse()
            .map_err(|_| format!("{name} {text:?} is not a number; write it like 0.25"))?;
        if value.is_finite() {
            Ok(value)
        } else {
            Err(format!("{name} {text:?} is not finite"))
        }
    }

    fn one_of<T: Copy>(&self, name: &str, words: &[(&str, T)]) -> Result<T, String> {
        let text = self.text(name);
        let known = || words.iter().map(|w| w.0).collect::<Vec<_>>().join(" or ");
        words
            .iter()
            .find(|w| w.0 == text)
            .map(|w| w.1)
            .ok_or_else(|| format!("{name} {text:?} is not known; write {}", known()))
    }
}

/// An option as the `price` and `iv` tables describe it.
pub struct OptionRow {
    /// Terms; on a future the yield is the rate. The volatility is zero until it is read.
    pub terms: Terms,
    /// Price of the underlying.
    pub underlying: f64,
    /// The underlying is a future.
    pub on_future: bool,
    /// Dividends in cash, each with its time.
    pub dividends: Vec<Dividend>,
}

/// Answers option rows: those without cash dividends all at once by `many`, the others by `one`.
/// `last` names the column that both tables read besides, the volatility or the price.
pub fn options(
    rows: &[Row<'_>],
    last: &str,
    many: impl Fn(&[(Vanilla, f64)]) -> Vec<Answer>,
    one: impl Fn(&OptionRow, f64) -> Answer,
) -> Vec<Answer> {
    let mut answers = Vec::with_capacity(rows.len());
    let (mut places, mut contracts) = (Vec::new(), Vec::new());
    for row in rows {
        answers.push(
            OptionRow::read(row)
                .and_then(|option| Ok((row.number(last)?, option)))
                .and_then(|(number, option)| {
                    if !option.dividends.is_empty() {
                        return one(&option, number);
                    }
                    places.push(answers.len());
                    contracts.push((option.contract(), number));
                    Ok(Vec::new())
                }),
        );
    }
    for (place, answer) in places.into_iter().zip(many(&contracts)) {
        answers[place] = answer;
    }
    answers
}

impl OptionRow {
    fn contract(&self) -> Vanilla {
        Vanilla {
            terms: self.terms,
            spot: self.underlying,
            on: if self.on_future {
                PricedOn::Future
            } else {
                PricedOn::Spot
            },
        }
    }

    /// Reads the columns both tables share.
    pub fn read(row: &Row<'_>) -> Result<OptionRow, String> {
        let kind = row.one_of("kind", &[("call", Kind::Call), ("put", Kind::Put)])?;
        let style = row.one_of(
            "style",
            &[("european", Style::European), ("american", Style::American)],
        )?;
        let on_future = row.one_of("on", &[("spot", false), ("future", true)])?;
        let rate = row.number("rate")?;
        let carry_yield = if on_future {
            rate
        } else {
            row.number("yield")?
        };
        let dividends = dividends(row.text("dividends"))?;
        if on_future && !dividends.is_empty() {
            return Err("dividends: a future pays none; leave the column empty".into());
        }
        let terms = Terms {
            kind,
            style,
            strike: row.number("strike")?,
            time: row.number("t_years")?,
            rate,
            carry_yield,
            vol: 0.0,
        };
        Ok(OptionRow {
            terms,
            underlying: row.number("underlying")?,
            on_future,
            dividends,
        })
    }
}

fn dividends(text: &str) -> Result<Vec<Dividend>, String> {
    let one = |part: &str| {
        let wrong =
            || format!("dividends {part:?} is not time:amount; write them like 0.1:0.5;0.35:0.5");
        let (time, amount) = part.split_once(':').ok_or_else(wrong)?;
        let number = |t: &str| {
            t.trim()
                .parse::<f64>()
                .ok()
                .filter(|v| v.is_finite())
                .ok_or_else(wrong)
        };
        Ok(Dividend {
            time: number(time)?,
            amount: number(amount)?,
        })
    };
    text.split(';')
        .map(str::trim)
        .filter(|p| !p.is_empty())
        .map(one)
        .collect()
}

/// Runs a table through `work`, which answers many rows at once.
pub fn run(
    input: Box<dyn Read>,
    output: &mut dyn Write,
    columns: &[&str],
    results: &[&str],
    work: impl Fn(&[Row<'_>]) -> Vec<Answer> + Sync,
) -> Result<Outcome, String> {
    let mut reader = csv::ReaderBuilder::new().flexible(true).from_reader(input);
    let headers = reader
        .headers()
        .map_err(|e| format!("reading: {e}"))?
        .clone();
    let places: HashMap<String, usize> = headers
        .iter()
        .enumerate()
        .map(|(i, h)| (h.trim().trim_start_matches('\u{feff}').to_owned(), i))
        .collect();
    let missing: Vec<&str> = columns
        .iter()
        .copied()
        .filter(|c| !places.contains_key(*c))
        .collect();
    if !missing.is_empty() {
        return Err(format!(
            "the header lacks {}; it must be {}",
            missing.join(", "),
            columns.join(",")
        ));
    }
    if let Some(strange) = places.keys().find(|h| !columns.contains(&h.as_str())) {
        return Err(format!(
            "the header has {strange:?}, which is not a column of this table; it must be {}",
            columns.join(",")
        ));
    }
    let mut writer = csv::WriterBuilder::new().from_writer(output);
    let header: Vec<&str> = ["id"]
        .into_iter()
        .chain(results.iter().copied())
        .chain(["error"])
        .collect();
    writer
        .write_record(header)
        .map_err(|e| format!("writing: {e}"))?;
    let mut outcome = Outcome::AllGood;
    let mut records = reader.records();
    loop {
        let block: Vec<Result<csv::StringRecord, csv::Error>> =
            records.by_ref().take(BLOCK).collect();
        if block.is_empty() {
            break;
        }
        let answers: Vec<(String, Answer)> = block
            .par_chunks(PART)
            .flat_map_iter(|part| answer(part, &places, headers.len(), &work))
            .collect();
        for (id, answer) in answers {
            let mut cells = vec![id];
            match answer {
                Ok(values) => {
                    cells.extend(values.iter().map(|v| {
                        if v.is_nan() {
                            String::new()
                        } else {
                            v.to_string()
                        }
                    }));
                    cells.push(String::new());
                }
                Err(error) => {
                    outcome = Outcome::SomeBad;
                    cells.extend(results.iter().map(|_| String::new()));
                    cells.push(error);
                }
            }
            writer
                .write_record(cells)
                .map_err(|e| format!("writing: {e}"))?;
        }
    }
    writer.flush().map_err(|e| format!("writing: {e}"))?;
    Ok(outcome)
}

/// Sorts out what cannot be read and works on the rest.
fn answer(
    part: &[Result<csv::StringRecord, csv::Error>],
    columns: &HashMap<String, usize>,
    fields: usize,
    work: impl Fn(&[Row<'_>]) -> Vec<Answer>,
) -> Vec<(String, Answer)> {
    let mut sound = Vec::with_capacity(part.len());
    let mut answers: Vec<(String, Answer)> = Vec::with_capacity(part.len());
    for record in part {
        answers.push(match record {
            Ok(record) => {
                let row = Row { columns, record };
                let id = row.text("id").to_owned();
                if record.len() == fields {
                    sound.push((answers.len(), row));
                    (id, Ok(Vec::new()))
                } else {
                    (
                        id,
                        Err(format!(
                            "{} fields where the header has {fields}",
                            record.len()
                        )),
                    )
                }
            }
            Err(e) => (String::new(), Err(format!("unreadable row: {e}"))),
        });
    }
    let (places, rows): (Vec<usize>, Vec<Row<'_>>) = sound.into_iter().unzip();
    for (place, answer) in places.into_iter().zip(work(&rows)) {
        answers[place].1 = answer;
    }
    answers
}
