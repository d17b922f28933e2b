//! `pikebell rehearse`: the cycles of a drill over past sessions.

use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::PathBuf;

use clap::Args;
use desk::Money;
use market::World;
use server::demo::DEMO_SEED;
use server::drill::{DrillText, legs_held};
use studies::drills::{Cycle, CycleDone, DrillGround, LookRow, Watching, play};

pub const HELP: &str = r#"A drill (TOML); see the README for every condition, and how a look goes:
  name = "monthly condor"        symbol = "WXMR"
  from = "2029-01-02"            to = "2031-03-10"     both included
  looks = ["close"]              "open" 09:45, "close" 15:45, "every N minutes" from 09:45 to 15:45
  price = 0.5                    0 the middle ... 1 the far side of every leg
  fees = true                    stake = 12000
  [enter]
  expiration = { kind = "monthly", days = 45, least = 38 }     monthly | weekly | any
  every = "expiration"           or "free", or so many sessions since the last entry
  if = [{ rank = { at_or_above = 25 } }]
  size = 1                       or { percent_of_stake = 2 }
  legs = [
    { side = "sell", quantity = 1, right = "put", strike = { delta = 0.16 } },
    { side = "buy", quantity = 1, right = "put", strike = { leg = 1, points = -50 } },
  ]
  [[adjust]]
  when = { price = { at_or_below = { leg = 1, points = 0 } } }
  do = "rebuild"                 "close", { roll = days }, { close_side = "pressed" | "quiet" }
  most = 1
  [leave]
  when = [{ profit = { percent_of_max = 50 } }, { days_left = 21 }]
  until_expirations = 1
cycles (CSV): cycle,expiration,entered,left,why,adjustments,net,fees,profit,return_percent,days,best,worst,most_margin
  why    leave N | until | end | adjust N | to | skipped N | skipped legs | skipped size
looks (CSV): cycle,at,underlying,action,legs,price,mark_profit
  legs   what is held after the look; where the cycle ends, what was held before
  price  of the package traded, paid above zero; of several trades in their order with `; ` between"#;

/// What to play.
#[derive(Debug, Args)]
#[command(after_long_help = HELP)]
pub struct Rehearse {
    /// File with the drill.
    #[arg(long, value_name = "FILE")]
    drill: PathBuf,
    /// File for the cycles; standard output when absent.
    #[arg(long, value_name = "FILE")]
    out: Option<PathBuf>,
    /// File for every look; none when absent.
    #[arg(long, value_name = "FILE")]
    looks: Option<PathBuf>,
    /// Folder of a market of one's own (see `import`), beside the simulated one.
    #[arg(long, value_name = "FOLDER")]
    market: Option<PathBuf>,
    /// Seed of the world.
    #[arg(long, default_value_t = DEMO_SEED)]
    seed: u64,
}

fn table(path: Option<&PathBuf>) -> Result<csv::Writer<Box<dyn Write>>, String> {
    let to: Box<dyn Write> = match path {
        Some(path) => Box::new(BufWriter::new(
            File::create(path).map_err(|e| format!("{}: {e}", path.display()))?,
        )),
        None => Box::new(BufWriter::new(std::io::stdout().lock())),
    };
    Ok(csv::WriterBuilder::new()
        .terminator(csv::Terminator::CRLF)
        .from_writer(to))
}

fn cycle_row(number: usize, c: &CycleDone, stake: Option<Money>) -> [String; 14] {
    let profit = c.profit();
    // Exact until the one division.
    let part = stake.map(|s| ((100 * profit.raw()) as f64 / s.raw() as f64).to_string());
    [
        number.to_string(),
        c.expiration.to_string(),
        c.entered.to_string(),
        c.left.to_string(),
        c.why.to_string(),
        c.adjustments.to_string(),
        c.net.to_string(),
        c.fees.to_string(),
        profit.to_string(),
        part.unwrap_or_default(),
        c.days().to_string(),
        c.best.to_string(),
        c.worst.to_string(),
        c.most_margin.to_string(),
    ]
}

fn look_row(number: usize, row: &LookRow) -> [String; 7] {
    let prices: Vec<String> = row.prices.iter().map(ToString::to_string).collect();
    [
        number.to_string(),
        row.at.to_string(),
        row.underlying.to_string(),
        row.action.to_string(),
        legs_held(&row.legs),
        prices.join("; "),
        row.profit.map_or_else(String::new, |p| p.to_string()),
    ]
}

/// Plays a drill and writes its cycles.
///
/// # Errors
/// The drill is wrong or cannot be played, or a file cannot be read or written.
pub fn run(asked: &Rehearse) -> Result<(), String> {
    let place = asked.drill.display();
    let text = std::fs::read_to_string(&asked.drill).map_err(|e| format!("{place}: {e}"))?;
    let text: DrillText = text.parse().map_err(|e| format!("{place}: {e}"))?;
    let drill = text.drill().map_err(|e| format!("{place}: {e}"))?;
    let mut world = World::new(asked.seed);
    if let Some(folder) = &asked.market {
        world = crate::cli::export::with_market(world, folder, &drill.symbol)?.0;
    }
    let end = desk::calendar::close_of(drill.to);
    let ground = DrillGround::new(&world, &drill, end).map_err(|e| format!("{place}: {e}"))?;
    let played = play(&ground, Watching::NOBODY).map_err(|e| format!("{place}: {e}"))?;
    let writing = |e: csv::Error| format!("writing: {e}");
    let mut cycles = table(asked.out.as_ref())?;
    cycles
        .write_record([
            "cycle",
            "expiration",
            "entered",
            "left",
            "why",
            "adjustments",
            "net",
            "fees",
            "profit",
            "return_percent",
            "days",
            "best",
            "worst",
            "most_margin",
        ])
        .map_err(writing)?;
    let mut number = 0;
    for c in &played.cycles {
        let row = match c {
            Cycle::Done(done) => {
                number += 1;
                cycle_row(number, done, drill.stake)
            }
            Cycle::Skipped {
                expiration,
                at,
                why,
            } => {
                let mut row = <[String; 14]>::default();
                row[1] = expiration.to_string();
                row[2] = at.to_string();
                row[4] = why.to_string();
                row
            }
        };
        cycles.write_record(&row).map_err(writing)?;
    }
    cycles.flush().map_err(|e| format!("writing: {e}"))?;
    drop(cycles);
    if let Some(path) = &asked.looks {
        let mut looks = table(Some(path))?;
        looks
            .write_record([
                "cycle",
                "at",
                "underlying",
                "action",
                "legs",
                "price",
                "mark_profit",
            ])
            .map_err(writing)?;
        for (i, c) in played.done().enumerate() {
            for row in &c.looks {
                looks.write_record(look_row(i + 1, row)).map_err(writing)?;
            }
        }
        looks.flush().map_err(|e| format!("writing: {e}"))?;
    }
    Ok(())
}
