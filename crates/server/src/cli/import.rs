//! `pikebell import chain|bars`: CSV files into a market of one's own, a folder that `serve
//! --market` opens.

use std::fs::File;
use std::io::Read;
use std::path::PathBuf;

use clap::{Args, Subcommand};
use server::folder::{self, BadRow};

/// What to read.
#[derive(Debug, Subcommand)]
pub enum Import {
    /// Chains, as `export chain` writes them.
    #[command(after_long_help = CHAIN_HELP)]
    Chain(Into),
    /// Daily bars, as `export bars` writes them.
    #[command(after_long_help = BARS_HELP)]
    Bars(Into),
}

/// From where to where.
#[derive(Debug, Args)]
pub struct Into {
    /// File to read; standard input when absent.
    #[arg(long = "in", value_name = "FILE")]
    input: Option<PathBuf>,
    /// Folder of the market; made when it is not there.
    #[arg(long = "into", value_name = "FOLDER")]
    folder: PathBuf,
    /// Another symbol for what is read: one that the simulated market does not have.
    #[arg(long)]
    symbol: Option<String>,
    /// A fact about the underlying, as name=value: name, kind (shares | index | future), style
    /// (american | european), settlement (delivery | cash), multiplier, tick, prices (decimal |
    /// eighths | 64ths), dividend_yield, sector, opening_root, time_zone, session, fee_option and the
    /// others that the README lists. Kept in instrument.csv, where it can be edited.
    #[arg(long = "fact", value_name = "NAME=VALUE")]
    facts: Vec<String>,
}

const CHAIN_HELP: &str = "\
Columns, found by their names in the first row, in any order; others are passed over:
  contract       OCC symbol
  at             exchange time, as 2031-03-11T10:42, with or without the offset -05:00
  spot           price of the underlying, the same in all rows of a moment
  bid, ask       per unit; bid empty when nobody bids
and where they are known:
  underlying     symbol; the contract's root when absent
  expiry, kind, strike   must agree with the contract
  bid_size, ask_size, last, volume, open_interest
A row that cannot be what it claims is refused with its line and the others are taken; the exit \
status is then 1.";
const BARS_HELP: &str = "\
Columns, found by their names in the first row, in any order; others are passed over:
  symbol, date, open, high, low, close, and volume where it is known
A row that cannot be what it claims is refused with its line and the others are taken; the exit \
status is then 1.";

/// Reads a file into the folder. True when every row was good.
pub fn run(what: &Import) -> Result<bool, String> {
    let (Import::Chain(into) | Import::Bars(into)) = what;
    if let Some(symbol) = &into.symbol {
        folder::check_symbol(symbol)?;
    }
    let facts: Vec<(String, String)> = into
        .facts
        .iter()
        .map(|fact| {
            fact.split_once('=')
                .map(|(n, v)| (n.to_owned(), v.to_owned()))
                .ok_or_else(|| format!("--fact {fact:?}: write it as name=value"))
        })
        .collect::<Result<_, _>>()?;
    let input: Box<dyn Read> = match &into.input {
        Some(path) => Box::new(File::open(path).map_err(|e| format!("{}: {e}", path.display()))?),
        None => Box::new(std::io::stdin().lock()),
    };
    let symbol = into.symbol.as_deref();
    for wrong in folder::keep_calendar(&into.folder)? {
        eprintln!("{wrong}");
    }
    // Moments are told on the clock of the symbol's zone: what is given now, or what the folder says.
    let given = facts.iter().rev().find(|(name, _)| name == "time_zone");
    let given = match given {
        Some((_, name)) => folder::zone(name)?,
        None => None,
    };
    let zone_of = |symbol: &str| {
        let kept = || folder::zone_in(&into.folder, symbol).ok().flatten();
        given.clone().or_else(kept)
    };
    let bad = match what {
        Import::Chain(_) => {
            let read = folder::read_chains(input, symbol, &zone_of)?;
            for (symbol, sights) in &read.sights {
                folder::keep_facts(&into.folder, symbol, &facts)?;
                let days = folder::keep_sights(&into.folder, symbol, sights)?;
                println!("{symbol}: {} moments in {days} day files", sights.len());
            }
            report(read.good, read.bad)
        }
        Import::Bars(_) => {
            let read = folder::read_bars(input, symbol)?;
            for (symbol, bars) in &read.bars {
                folder::keep_facts(&into.folder, symbol, &facts)?;
                folder::keep_bars(&into.folder, symbol, bars)?;
                println!("{symbol}: {} sessions", bars.len());
            }
            report(read.good, read.bad)
        }
    };
    Ok(bad == 0)
}

fn report(good: usize, bad: Vec<BadRow>) -> usize {
    for row in &bad {
        eprintln!("{row}");
    }
    println!("{good} rows taken, {} refused", bad.len());
    bad.len()
}
