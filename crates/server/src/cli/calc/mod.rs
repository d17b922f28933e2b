//! The batch calculator: `pikebell calc price|iv|chance|position|margin|campaign|book|event`.
//!
//! Rows are read, worked out in parallel and written in their order, a block at a time. A row that
//! cannot be priced gets an `error` text and the good rows are still written; the exit status then
//! is 1. What cannot be read at all (no such file, a missing column) ends the run with status 2 and
//! a message, before anything is written.

mod book;
mod campaign;
mod chance;
mod event;
mod iv;
mod margin;
mod position;
mod price;
mod table;

use std::fs::File;
use std::io::{BufReader, BufWriter, Read, Write};
use std::path::PathBuf;

use clap::{Args, Subcommand, ValueEnum};
use quant::Accuracy;
use rayon::prelude::*;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use serde_json::Value;

/// What to calculate.
#[derive(Debug, Subcommand)]
pub enum Calc {
    /// Prices and Greeks of options.
    #[command(after_long_help = price::HELP)]
    Price(Files),
    /// Implied volatilities of option prices.
    #[command(after_long_help = iv::HELP)]
    Iv(Files),
    /// Chances of finishing beyond, and of touching, two prices.
    #[command(after_long_help = chance::HELP)]
    Chance(Files),
    /// Profit, loss, break-evens, chances and Greeks of whole positions (JSON).
    #[command(after_long_help = position::HELP)]
    Position(Files),
    /// Margin of positions under three regimes, with the pairing behind it (JSON).
    #[command(after_long_help = margin::HELP)]
    Margin(Files),
    /// Whole campaigns from their fills: cash, profit, outline with what was realised (JSON).
    #[command(after_long_help = campaign::HELP)]
    Campaign(Files),
    /// A whole book in the terms of one index, and its profit under shocks (JSON).
    #[command(after_long_help = book::HELP)]
    Book(Files),
    /// The move that two expirations price into an event.
    #[command(after_long_help = event::HELP)]
    Event(Files),
}

/// Where from, where to, how exactly.
#[derive(Debug, Args)]
pub struct Files {
    /// File to read; standard input when absent.
    #[arg(long = "in", value_name = "FILE")]
    input: Option<PathBuf>,
    /// File to write; standard output when absent.
    #[arg(long = "out", value_name = "FILE")]
    output: Option<PathBuf>,
    /// How exactly American options are valued.
    #[arg(long, value_enum, default_value = "reference")]
    accuracy: Setting,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
enum Setting {
    /// About 1e-7 of the strike, 1e-5 in far corners; fast.
    Interactive,
    /// 1e-10 of the strike, up to three years.
    Reference,
}

/// How a run ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Outcome {
    /// Every row was worked out.
    AllGood,
    /// Some rows carry an error.
    SomeBad,
}

/// Runs one calculation to its end.
pub fn run(what: &Calc) -> Result<Outcome, String> {
    let (files, work): (&Files, Work) = match what {
        Calc::Price(f) => (f, price::run),
        Calc::Iv(f) => (f, iv::run),
        Calc::Chance(f) => (f, chance::run),
        Calc::Position(f) => (f, position::run),
        Calc::Margin(f) => (f, margin::run),
        Calc::Campaign(f) => (f, campaign::run),
        Calc::Book(f) => (f, book::run),
        Calc::Event(f) => (f, event::run),
    };
    let input: Box<dyn Read> = match &files.input {
        Some(path) => Box::new(BufReader::new(
            File::open(path).map_err(|e| format!("{}: {e}", path.display()))?,
        )),
        None => Box::new(std::io::stdin().lock()),
    };
    let mut output: Box<dyn Write> = match &files.output {
        Some(path) => Box::new(BufWriter::new(
            File::create(path).map_err(|e| format!("{}: {e}", path.display()))?,
        )),
        None => Box::new(BufWriter::new(std::io::stdout().lock())),
    };
    let accuracy = match files.accuracy {
        Setting::Interactive => Accuracy::Interactive,
        Setting::Reference => Accuracy::Reference,
    };
    let outcome = work(input, &mut output, accuracy)?;
    output.flush().map_err(|e| format!("writing: {e}"))?;
    Ok(outcome)
}

/// A document of cases.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Document {
    cases: Vec<Value>,
}

/// Works out the cases of a document in parallel and writes their answers in order. One that cannot
/// be read or worked out has its id and why.
fn run_cases<C: DeserializeOwned, A: Serialize>(
    input: Box<dyn Read>,
    output: &mut dyn Write,
    work: impl Fn(C) -> Result<A, String> + Sync,
) -> Result<Outcome, String> {
    let document: Document = serde_json::from_reader(input).map_err(|e| format!("reading: {e}"))?;
    let answer = |case: Value| {
        let id = case.get("id").cloned().unwrap_or(Value::Null);
        let worked = serde_json::from_value(case)
            .map_err(|e| e.to_string())
            .and_then(&work);
        let written = worked.and_then(|a| serde_json::to_value(a).map_err(|e| e.to_string()));
        written.map_err(|error| serde_json::json!({ "id": id, "error": error }))
    };
    let answers: Vec<Result<Value, Value>> = document.cases.into_par_iter().map(answer).collect();
    let outcome = if answers.iter().all(Result::is_ok) {
        Outcome::AllGood
    } else {
        Outcome::SomeBad
    };
    let cases: Vec<Value> = answers
        .into_iter()
        .map(|a| a.unwrap_or_else(|failed| failed))
        .collect();
    serde_json::to_writer(&mut *output, &serde_json::json!({ "cases": cases }))
        .map_err(|e| format!("writing: {e}"))?;
    output
        .write_all(b"\n")
        .map_err(|e| format!("writing: {e}"))?;
    Ok(outcome)
}

type Work = fn(Box<dyn Read>, &mut dyn Write, Accuracy) -> Result<Outcome, String>;
