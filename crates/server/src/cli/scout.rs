//! `pikebell scout`: every structure of chosen families under the market's law and under one's own.

use std::fs::File;
use std::io::BufReader;
use std::path::PathBuf;

use clap::Args;
use desk::Decimal;
use jiff::civil::Date;
use market::Quoter;
use plans::scout::{
    FAMILIES, Family, Laws, Measured, RANK_MEASURES, Rank, RankMeasure, Region, ScoutAsked,
    ScoutLimits, legs_text, scout,
};
use serde::Deserialize;
use serde_json::Number;
use studies::scouting::{Ground, LawFrom};

use super::export::{At, opened};

pub const HELP: &str = r#"The expectation (JSON): {"by":"2031-04-18","regions":[{"low":2850,"high":3000,"sure":0.7}],
                        "price":0,"fees":true,"law":"flat"}
  by      date that is looked at: the latest moment at which options of the symbol end on it, 16:00 where none does
  regions the price ends here, this surely (0 to 1); low or high null for an open side; they may touch, not overlap
  price   0 the middle ... 1 the far side of every leg ("middle", "far"); the package is rounded up to 0.01
  fees    take the fees of the entry off every profit
  law     the market's: flat (lognormal with the variance at the forward) | smile
Families: single, vertical, straddle, strangle, ratio, butterfly, butterfly-skewed, condor, condor-skewed, calendar,
  diagonal, covered, protected, collar, shares; over every expiration that ends at `by` or later
Rank: expected, chance, excess, expected_per_capital, expected_per_loss, expected_per_day; of one's own law, highest
  first, ties by legs; where a measure does not exist the candidate comes last
Out (CSV), for one package in money:
  symbol,family,legs,net,max_profit,max_loss,break_evens,market_chance,market_expected,own_chance,own_expected,
  own_worst5,capital
  legs          `+1 X; -1 Y`, contracts of 21 characters, strikes ascending, puts before calls; the underlying first
  net           paid above zero, before fees
  max_profit, max_loss   at `by` over every price, unlimited where so; a loss is above zero
  break_evens   ascending, `;` between; of a stretch at zero its ends
  *_chance      that the profit is above zero, *_expected the mean profit, own_worst5 the mean of the worst 5 %
  capital       margin of one package alone by strategy rules, and net
What ends at `by` counts its exercise value there, what lasts longer its model value with the rate, yield and implied
volatility of now. Options without an implied volatility that last longer take no part; how many is told."#;

/// What to look for.
#[derive(Debug, Args)]
#[command(after_long_help = HELP)]
pub struct Scout {
    /// Of what, and when.
    #[command(flatten)]
    at: At,
    /// File with what is expected.
    #[arg(long, value_name = "FILE")]
    expectation: PathBuf,
    /// Families, with commas between.
    #[arg(long, value_delimiter = ',', required = true)]
    families: Vec<String>,
    /// Between neighbouring strikes of one wing at most, in price.
    #[arg(long)]
    width_max: Option<f64>,
    /// Deviations of its expiration that a strike lies from the forward at most.
    #[arg(long, default_value_t = 3.0)]
    reach: f64,
    /// What the best is measured by.
    #[arg(long, default_value = "expected_per_capital")]
    rank: String,
    /// Every candidate; otherwise the best hundred.
    #[arg(long)]
    all: bool,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Expectation {
    by: String,
    #[serde(default)]
    regions: Vec<RegionIn>,
    #[serde(default)]
    price: Option<PriceIn>,
    #[serde(default)]
    fees: bool,
    #[serde(default)]
    law: LawIn,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct RegionIn {
    low: Option<f64>,
    high: Option<f64>,
    sure: f64,
}

#[derive(Deserialize)]
#[serde(untagged)]
enum PriceIn {
    Part(Number),
    Word(String),
}

#[derive(Deserialize, Default, Clone, Copy, PartialEq)]
#[serde(rename_all = "lowercase")]
enum LawIn {
    #[default]
    Flat,
    Smile,
}

fn part(price: Option<&PriceIn>) -> Result<Decimal, String> {
    let wrong = |said: &str| {
        format!("price {said} is no part of the way; write 0 (middle) to 1 (far), or the word")
    };
    let found = match price {
        None => Decimal::ZERO,
        Some(PriceIn::Word(w)) if w == "middle" => Decimal::ZERO,
        Some(PriceIn::Word(w)) if w == "far" => Decimal::whole(1),
        Some(PriceIn::Word(w)) => return Err(wrong(&format!("{w:?}"))),
        // The decimals are meant exactly as they stand.
        Some(PriceIn::Part(n)) => n.to_string().parse().map_err(|_| wrong(&n.to_string()))?,
    };
    if (Decimal::ZERO..=Decimal::whole(1)).contains(&found) {
        Ok(found)
    } else {
        Err(wrong(&found.to_string()))
    }
}

fn limit(of: Option<f64>) -> String {
    of.map_or_else(|| "unlimited".into(), |x| x.to_string())
}

fn figures(m: &Measured) -> [String; 8] {
    let evens: Vec<String> = m.evens.iter().map(f64::to_string).collect();
    [
        limit(m.most),
        limit(m.least.map(|l| -l)),
        evens.join(";"),
        m.market_chance.to_string(),
        m.market_mean.to_string(),
        m.own_chance.to_string(),
        m.own_mean.to_string(),
        m.own_worst.to_string(),
    ]
}

/// The words that are wrong are told with those that are right.
fn chosen(asked: &Scout) -> Result<(Vec<Family>, RankMeasure), String> {
    let words = |all: Vec<&str>| all.join(", ");
    let mut families = Vec::new();
    for word in &asked.families {
        let family = Family::of_word(word.trim()).ok_or_else(|| {
            let known = FAMILIES.iter().map(|(_, w)| *w).collect();
            format!(
                "--families {word:?} is not known; known are {}",
                words(known)
            )
        })?;
        if !families.contains(&family) {
            families.push(family);
        }
    }
    let rank = RankMeasure::of_word(&asked.rank).ok_or_else(|| {
        let known = RANK_MEASURES.iter().map(|(_, w)| *w).collect();
        format!(
            "--rank {:?} is not known; known are {}",
            asked.rank,
            words(known)
        )
    })?;
    for (what, x) in [
        ("--reach", Some(asked.reach)),
        ("--width-max", asked.width_max),
    ] {
        if x.is_some_and(|x| !(x > 0.0 && x.is_finite())) {
            return Err(format!("{what} has to be a number above zero"));
        }
    }
    Ok((families, rank))
}

/// Runs a search to its end.
///
/// # Errors
/// What is asked makes no sense, or cannot be read or written.
pub fn run(asked: &Scout) -> Result<(), String> {
    let (families, rank) = chosen(asked)?;
    let file = File::open(&asked.expectation)
        .map_err(|e| format!("{}: {e}", asked.expectation.display()))?;
    let expected: Expectation = serde_json::from_reader(BufReader::new(file))
        .map_err(|e| format!("{}: {e}", asked.expectation.display()))?;
    let by: Date = expected
        .by
        .parse()
        .map_err(|_| format!("by {:?} is no date; write one like 2031-04-18", expected.by))?;
    let price = part(expected.price.as_ref())?;
    let opened = opened(&asked.at)?;
    let view = opened.view();
    let ground = Ground::new(view, by).map_err(|e| e.to_string())?;
    let from = match expected.law {
        LawIn::Flat => LawFrom::Flat,
        LawIn::Smile => LawFrom::Smile,
    };
    let market = ground.law(from).map_err(|e| e.to_string())?;
    let regions: Vec<Region> = expected
        .regions
        .iter()
        .map(|r| Region {
            low: r.low.unwrap_or(0.0),
            high: r.high.unwrap_or(f64::INFINITY),
            sure: r.sure,
        })
        .collect();
    let laws = Laws::new(market, &regions).map_err(|e| format!("regions: {e}"))?;
    let endings = ground.endings(&mut Quoter::new(), |_, _| true);
    let scouted = ground.scouted(&laws, endings);
    let what = ScoutAsked {
        families,
        width: asked.width_max,
        reach: asked.reach,
        price,
        fees: expected.fees,
        rank: Rank::By(rank),
        limits: ScoutLimits::default(),
    };
    let mut table = csv::WriterBuilder::new()
        .terminator(csv::Terminator::CRLF)
        .from_writer(asked.at.output()?);
    let writing = |e: csv::Error| format!("writing: {e}");
    table
        .write_record([
            "symbol",
            "family",
            "legs",
            "net",
            "max_profit",
            "max_loss",
            "break_evens",
            "market_chance",
            "market_expected",
            "own_chance",
            "own_expected",
            "own_worst5",
            "capital",
        ])
        .map_err(writing)?;
    let mut failed = None;
    let found = scout(&scouted, &what, (!asked.all).then_some(100), |rows| {
        for row in rows {
            let head = [
                view.symbol().to_owned(),
                row.family.word().to_owned(),
                legs_text(&row.legs),
                row.net.to_string(),
            ];
            let all = head
                .into_iter()
                .chain(figures(&row.measured))
                .chain([row.capital.to_string()]);
            if failed.is_none() {
                failed = table.write_record(all).err();
            }
        }
    })
    .map_err(|e| e.to_string())?;
    if let Some(e) = failed {
        return Err(writing(e));
    }
    table.flush().map_err(|e| format!("writing: {e}"))?;
    eprintln!(
        "{} candidates judged, {} written{}",
        found.judged,
        found.given,
        if found.unvalued > 0 {
            format!(
                "; {} longer options have no implied volatility and take no part",
                found.unvalued
            )
        } else {
            String::new()
        }
    );
    Ok(())
}
