//! What the cycles of a drill came to, all together and by division.

use std::collections::BTreeMap;

use desk::{Moment, Money, Price};
use jiff::civil::Date;
use plans::drill::{CycleSummed, DrillSummary, Split, drawdown, summed};

use super::ground::DrillGround;
use super::life::CycleDone;
use super::play::Played;

/// Seed of the bootstrap: a drill comes to the same figures every time.
const SEED: u64 = 1;

/// What cycles are divided by.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Part {
    /// The rank of volatility at the entry.
    Rank,
    /// Where the price of the underlying went.
    Direction,
    /// Why they were left.
    Why,
}

/// What a drill came to.
#[derive(Debug, Clone, PartialEq)]
pub struct DrillResults {
    /// All cycles that were played, summed up together.
    pub all: DrillSummary,
    /// Deepest fall of the curve.
    pub drawdown: Money,
    /// Profit of all cycles, closed and open, on each session of the span.
    pub curve: Vec<(Moment, Money)>,
    /// The same by each division, and by its values.
    pub parts: Vec<(Part, Vec<Split>)>,
    /// Profit of the underlying bought with the stake at the first entry and held to the last end,
    /// dividends included; absent without a stake, and of an index its change.
    pub held: Option<Money>,
}

fn one(c: &CycleDone) -> CycleSummed {
    CycleSummed {
        profit: c.profit(),
        days: c.days(),
        capital: c.most_margin,
    }
}

/// In the order of their ends.
fn by_end<'p>(done: impl Iterator<Item = &'p CycleDone>) -> Vec<(usize, &'p CycleDone)> {
    let mut all: Vec<(usize, &CycleDone)> = done.enumerate().collect();
    all.sort_by_key(|(i, c)| (c.left, *i));
    all
}

fn split(
    all: &[(usize, &CycleDone)],
    of: impl Fn(&CycleDone) -> Option<(usize, String)>,
) -> Vec<Split> {
    let mut parts: BTreeMap<(usize, String), Vec<(usize, &CycleDone)>> = BTreeMap::new();
    for (i, c) in all {
        if let Some(part) = of(c) {
            parts.entry(part).or_default().push((*i, c));
        }
    }
    let each = parts.into_iter().map(|((_, part), some)| {
        let values: Vec<CycleSummed> = some.iter().map(|(_, c)| one(c)).collect();
        Split {
            part,
            of: some.iter().map(|(i, _)| *i).collect(),
            summary: summed(&values, SEED),
        }
    });
    each.collect()
}

/// Profit of all cycles, the open ones as they were marked, at the last look of each session or where one
/// ended after it; flat where nothing is open.
pub fn curve(g: &DrillGround<'_>, played: &Played) -> Vec<(Moment, Money)> {
    // At each moment the change of each cycle's profit.
    let mut changes: BTreeMap<Moment, Money> =
        g.looks.iter().map(|at| (*at, Money::ZERO)).collect();
    for c in played.done() {
        let mut before = Money::ZERO;
        for row in &c.looks {
            if let Some(profit) = row.profit {
                *changes.entry(row.at).or_default() += profit - before;
                before = profit;
            }
        }
    }
    let mut out: Vec<(Moment, Money)> = Vec::new();
    let mut sum = Money::ZERO;
    for (at, change) in changes {
        sum += change;
        match out.last_mut() {
            Some(last) if last.0.date() == at.date() => *last = (at, sum),
            _ => out.push((at, sum)),
        }
    }
    out
}

/// What the underlying would have brought in place of the cycles.
pub fn held_instead(g: &DrillGround<'_>, played: &Played) -> Option<Money> {
    let stake = g.drill.stake?;
    let first = played.done().map(|c| c.entered).min()?;
    let last = played.done().map(|c| c.left).max()?;
    let (from, to) = (g.spot(first), g.spot(last));
    let paid: Price = g
        .carry
        .dividends(first, last)
        .fold(Price::ZERO, |sum, (_, cash)| sum + cash);
    let grown = (to + paid - from).to_f64() / from.to_f64();
    grown
        .is_finite()
        .then(|| Money::from_model(stake.to_f64() * grown))
}

/// Adds the cycles up.
pub fn results(g: &DrillGround<'_>, played: &Played) -> DrillResults {
    let all = by_end(played.done());
    let values: Vec<CycleSummed> = all.iter().map(|(_, c)| one(c)).collect();
    let curve = curve(g, played);
    let rank = |c: &CycleDone| {
        let quarter = (c.rank? / 25.0).floor().clamp(0.0, 3.0) as usize;
        let words = ["below 25", "25 to 50", "50 to 75", "75 and above"];
        Some((quarter, words[quarter].to_owned()))
    };
    let direction = |c: &CycleDone| {
        let (from, to) = c.underlying;
        let moved = (to.to_f64() / from.to_f64() - 1.0) * 100.0;
        let (place, words) = match moved {
            m if m <= -2.0 => (0, "fell by 2 % or more"),
            m if m < 2.0 => (1, "moved less than 2 %"),
            _ => (2, "rose by 2 % or more"),
        };
        Some((place, words.to_owned()))
    };
    let why = |c: &CycleDone| Some((0, c.why.to_string()));
    DrillResults {
        all: summed(&values, SEED),
        drawdown: drawdown(curve.iter().map(|(_, m)| *m)),
        held: held_instead(g, played),
        parts: vec![
            (Part::Rank, split(&all, rank)),
            (Part::Direction, split(&all, direction)),
            (Part::Why, split(&all, why)),
        ],
        curve,
    }
}

/// The sum of what was entered up to a date, and of what was entered behind it.
pub fn halves(played: &Played, middle: Date) -> (Money, Money) {
    let part = |late: bool| {
        let of = played
            .done()
            .filter(|c| (c.entered.date() > middle) == late);
        of.map(CycleDone::profit).sum()
    };
    (part(false), part(true))
}
