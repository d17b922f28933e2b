//! `pikebell export chain|bars|surface`: the market at any moment of the world, as CSV (RFC 4180).

use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::PathBuf;

use clap::{Args, Subcommand};
use desk::{Kind, Moment, Price};
use jiff::civil::{Date, DateTime};
use market::{DEMO_DAY, FIRST, LAST, Quoter, World, strikes};
use server::demo::DEMO_SEED;

/// What to write.
#[derive(Debug, Subcommand)]
pub enum Export {
    /// Every listed option with its market.
    #[command(after_long_help = CHAIN_HELP)]
    Chain(At),
    /// Daily bars up to the moment.
    #[command(after_long_help = BARS_HELP)]
    Bars(Bars),
    /// The volatility surface behind the chain.
    #[command(after_long_help = SURFACE_HELP)]
    Surface(At),
}

/// Of what, and when.
#[derive(Debug, Args)]
pub struct At {
    /// Symbol of the underlying.
    #[arg(long)]
    symbol: String,
    /// Exchange time, as 2031-03-11T10:42, or a date for its close; the demo's moment when absent.
    #[arg(long)]
    at: Option<String>,
    /// Seed of the world.
    #[arg(long, default_value_t = DEMO_SEED)]
    seed: u64,
    /// File to write; standard output when absent.
    #[arg(long = "out", value_name = "FILE")]
    output: Option<PathBuf>,
}

/// Of what, from when to when.
#[derive(Debug, Args)]
pub struct Bars {
    /// What and until when.
    #[command(flatten)]
    at: At,
    /// First date; the beginning of the history when absent.
    #[arg(long)]
    from: Option<String>,
}

const CHAIN_HELP: &str = "\
Columns, one row for each contract, expirations and strikes ascending:
  contract       OCC symbol, 21 characters, padded
  underlying     symbol
  at             moment of the quotes, RFC 3339
  spot           price of the underlying
  expiry         date
  kind           call | put
  strike         per unit
  bid, ask       per unit; bid empty when nobody bids
  bid_size, ask_size, volume, open_interest   contracts
  last           last trade of the session; empty when there was none
  theoretical    model value per unit
  delta          per unit of the underlying
  iv             volatility a year of the middle, as a fraction; empty where it means nothing";
const BARS_HELP: &str = "\
Columns, one row for each session, oldest first; the running session counts as far as it has come:
  symbol, date, open, high, low, close, volume (units of the underlying)";
const SURFACE_HELP: &str = "\
Columns, one row for each listed strike:
  underlying, at, expiry
  t_years        years of 365 days to expiry
  forward, rate  forward price; interest to expiry, continuously compounded
  strike         per unit
  log_moneyness  ln(strike/forward)
  vol            volatility a year, as a fraction
  total_variance vol² × t_years";

/// Writes one export.
pub fn run(what: &Export) -> Result<(), String> {
    let at = match what {
        Export::Chain(at) | Export::Surface(at) => at,
        Export::Bars(bars) => &bars.at,
    };
    let moment = match &at.at {
        Some(text) => moment("at", text)?,
        None => server::demo::present(),
    };
    let world = World::new(at.seed);
    if world.underlying(&at.symbol).is_none() {
        let known: Vec<&str> = world
            .underlyings(moment)
            .map(|u| u.symbol.as_str())
            .collect();
        return Err(format!(
            "--symbol {:?} is not known; known: {}",
            at.symbol,
            known.join(", ")
        ));
    }
    let output: Box<dyn Write> = match &at.output {
        Some(path) => Box::new(BufWriter::new(
            File::create(path).map_err(|e| format!("{}: {e}", path.display()))?,
        )),
        None => Box::new(BufWriter::new(std::io::stdout().lock())),
    };
    let mut table = csv::WriterBuilder::new()
        .terminator(csv::Terminator::CRLF)
        .from_writer(output);
    let written = match what {
        Export::Chain(_) => chain(&world, &at.symbol, moment, &mut table),
        Export::Surface(_) => surface(&world, &at.symbol, moment, &mut table),
        Export::Bars(b) => {
            let from = b
                .from
                .as_deref()
                .map_or(Ok(FIRST), |text| date("from", text))?;
            bars(&world, &at.symbol, from, moment, &mut table)
        }
    };
    written
        .and_then(|()| table.flush().map_err(csv::Error::from))
        .map_err(|e| format!("writing: {e}"))
}

fn date(name: &str, text: &str) -> Result<Date, String> {
    text.parse()
        .map_err(|_| format!("--{name} {text:?} is not a date; write it like {DEMO_DAY}"))
}

/// A moment of the world.
fn moment(name: &str, text: &str) -> Result<Moment, String> {
    let wrong = || {
        format!(
            "--{name} {text:?} is not a moment; write it like {DEMO_DAY}T10:42, or {DEMO_DAY} for \
             its close"
        )
    };
    let moment = if text.contains('T') {
        let t: DateTime = text.parse().map_err(|_| wrong())?;
        Moment::at(t.date(), i64::from(t.hour()), i64::from(t.minute()))
            .plus_millis(i64::from(t.second()) * 1_000)
    } else {
        desk::calendar::close_of(text.parse().map_err(|_| wrong())?)
    };
    if moment.date() < FIRST || moment.date() > LAST {
        return Err(format!(
            "--{name} {text:?} lies outside the world; choose a date from {FIRST} to {LAST}"
        ));
    }
    Ok(moment)
}

type Table = csv::Writer<Box<dyn Write>>;

fn chain(world: &World, symbol: &str, at: Moment, table: &mut Table) -> Result<(), csv::Error> {
    table.write_record([
        "contract",
        "underlying",
        "at",
        "spot",
        "expiry",
        "kind",
        "strike",
        "bid",
        "ask",
        "bid_size",
        "ask_size",
        "last",
        "volume",
        "open_interest",
        "theoretical",
        "delta",
        "iv",
    ])?;
    let mut quoter = Quoter::new();
    let (Some(u), Some(spot)) = (world.underlying(symbol), world.spot(symbol, at)) else {
        return Ok(());
    };
    for e in world.expirations(symbol, at).unwrap_or_default() {
        for (c, l) in quoter.chain(world, u, &e, at) {
            let q = &l.quote;
            table.write_record([
                c.to_string(),
                symbol.to_owned(),
                at.to_string(),
                spot.to_string(),
                c.expiry.to_string(),
                if c.kind == Kind::Call { "call" } else { "put" }.to_owned(),
                c.strike.to_string(),
                if q.bid > Price::ZERO {
                    q.bid.to_string()
                } else {
                    String::new()
                },
                q.ask.to_string(),
                q.bid_size.to_string(),
                q.ask_size.to_string(),
                l.last.map_or_else(String::new, |p| p.to_string()),
                q.volume.to_string(),
                q.open_interest.to_string(),
                l.theoretical.to_string(),
                l.delta.to_string(),
                l.implied.map_or_else(String::new, |v| v.to_string()),
            ])?;
        }
    }
    Ok(())
}

fn bars(
    world: &World,
    symbol: &str,
    from: Date,
    until: Moment,
    table: &mut Table,
) -> Result<(), csv::Error> {
    table.write_record(["symbol", "date", "open", "high", "low", "close", "volume"])?;
    for b in world.bars(symbol, from, until) {
        let prices = [b.open, b.high, b.low, b.close].map(|p| p.to_string());
        table.write_record(
            [symbol.to_owned(), b.date.to_string()]
                .into_iter()
                .chain(prices)
                .chain([b.volume.to_string()]),
        )?;
    }
    Ok(())
}

fn surface(world: &World, symbol: &str, at: Moment, table: &mut Table) -> Result<(), csv::Error> {
    table.write_record([
        "underlying",
        "at",
        "expiry",
        "t_years",
        "forward",
        "rate",
        "strike",
        "log_moneyness",
        "vol",
        "total_variance",
    ])?;
    for e in world.expirations(symbol, at).unwrap_or_default() {
        let Some(slice) = world.surface(symbol, at, e.moment()) else {
            continue;
        };
        for strike in strikes(world, symbol, &e, at) {
            let (k, vol) = (strike.to_f64(), slice.vol(strike.to_f64()));
            let numbers = [slice.years, slice.forward, slice.rate].map(|x| x.to_string());
            let rest =
                [(k / slice.forward).ln(), vol, vol * vol * slice.years].map(|x| x.to_string());
            table.write_record(
                [symbol.to_owned(), at.to_string(), e.date.to_string()]
                    .into_iter()
                    .chain(numbers)
                    .chain([strike.to_string()])
                    .chain(rest),
            )?;
        }
    }
    Ok(())
}
