//! The bench's answer as it crosses. Nothing is computed here but percentages of what the answer
//! itself says.

use desk::{ChancesAt, Even, Extent, Grid, GridPrice, Horizon, Price, Underlying};
use serde::Serialize;
use utoipa::ToSchema;

use crate::api::account::book::BookEffect;
use crate::api::bench::{GridUnit, Judged};
use crate::api::chain::EventMark;
use crate::api::wire::evaluation::{EvaluationWire, evaluation};
use crate::api::wire::{ExtentWire, GreeksWire, extent, greeks};

/// Profit over date and price.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct MapWire {
    /// Days from now, ascending; the last is the first expiration.
    pub days: Vec<f64>,
    /// Prices of the underlying, the lowest first.
    pub prices: Vec<f64>,
    /// Profit at each date, at each price.
    pub profit: Vec<Vec<f64>>,
}

/// Profit over the prices at one moment.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct DateLineWire {
    /// The moment of the line, with its offset.
    pub at: String,
    /// Days from now.
    pub days: f64,
    /// Profit at each of the prices.
    pub profit: Vec<f64>,
    /// Prices where it is even.
    pub evens: Vec<f64>,
}

/// Greeks along price or time.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct GreekCurvesWire {
    /// Prices, or days from now.
    pub along: Vec<f64>,
    /// Days from now of each line.
    pub days: Vec<f64>,
    /// Of the whole, by line, in money.
    pub net: Vec<Vec<GreeksWire>>,
    /// Of each leg of the unit, on the first line.
    pub legs: Vec<Vec<GreeksWire>>,
}

/// A grid of profits.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct GridWire {
    /// Prices of the underlying, the lowest first.
    pub prices: Vec<f64>,
    /// What each price is, in words: "break-even", "strike", "+1 σ", "round".
    pub names: Vec<String>,
    /// Dates (ISO), ascending; the first expiration last.
    pub dates: Vec<String>,
    /// Days from now of the dates.
    pub days: Vec<f64>,
    /// By date, at each price, in the unit asked for; absent where the unit has no meaning.
    pub values: Option<Vec<Vec<f64>>>,
}

/// Chances at one date.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct ChancesAtWire {
    /// The date that the chances are for, as 2031-03-11.
    pub date: String,
    /// Days from now.
    pub days: f64,
    /// Of ending below, between and above the two prices.
    pub ends: Vec<f64>,
    /// Of touching the lower, the higher, either, both and neither before.
    pub touches: Vec<f64>,
    /// Of a profit.
    pub profit: f64,
    /// The mean profit, before costs.
    pub expected: f64,
    /// Chance per 1.00 of price, at each of the prices.
    pub density: Vec<f64>,
}

/// Chances of profit, of touching and of the largest results.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct ChancesWire {
    /// The lower price.
    pub lower: f64,
    /// The higher price.
    pub higher: f64,
    /// At the first date asked for, and at the first expiration.
    pub dates: Vec<ChancesAtWire>,
    /// The profit to reach, in money.
    pub target: Option<f64>,
    /// Chance of reaching it before the first expiration, and before the stop.
    pub reached: Option<f64>,
    /// The loss at which it is given up, in money, below zero.
    pub stop: Option<f64>,
    /// Chance of falling to it before, and before the target.
    pub stopped: Option<f64>,
}

/// All that the bench shows of one draft, valued at one moment.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BenchWire {
    /// The draft at the market of now, unmoved.
    pub evaluation: EvaluationWire,
    /// What it does to the book.
    pub effect: BookEffect,
    /// Events ahead of the underlying.
    pub events: Vec<EventMark>,
    /// Days to the first expiration, with their fraction.
    pub days: f64,
    /// Prices at −2, −1, +1, +2 deviations of the first expiration, at the moved volatility.
    pub bands: Vec<f64>,
    /// Break-evens at the first expiration in the moved market.
    pub evens: Vec<f64>,
    /// Most to make in the moved market.
    pub most: ExtentWire,
    /// Most to lose in the moved market.
    pub least: ExtentWire,
    /// Prices of the underlying, the lowest first.
    pub prices: Vec<f64>,
    /// Profit at the first expiration.
    pub outline: Vec<f64>,
    /// Chance of ending below each price at the first expiration.
    pub below: Vec<f64>,
    /// The dates asked for.
    pub lines: Vec<DateLineWire>,
    /// The map, where it was wanted.
    pub map: Option<MapWire>,
    /// Greeks, where they were wanted.
    pub greeks: Option<GreekCurvesWire>,
    /// The grid, where it was wanted.
    pub grid: Option<GridWire>,
    /// Chances, where they were wanted and can be told.
    pub chances: Option<ChancesWire>,
    /// Why the chances cannot be told, while all else is.
    pub no_chances: Option<String>,
}

/// All that a price of the grid is, in words.
fn price_names(names: &[GridPrice]) -> String {
    let word = |name: &GridPrice| match name {
        GridPrice::Now => "price now".to_owned(),
        GridPrice::BreakEven => "break-even".to_owned(),
        GridPrice::Strike => "strike".to_owned(),
        GridPrice::Deviation(k) if *k < 0 => format!("−{} σ", k.unsigned_abs()),
        GridPrice::Deviation(k) => format!("+{k} σ"),
        GridPrice::Round => "round".to_owned(),
        GridPrice::Chosen => String::new(),
    };
    names.iter().map(word).collect::<Vec<_>>().join(", ")
}

/// Days of a year from one moment to another, fractions with them.
fn days_between(from: desk::Moment, to: desk::Moment) -> f64 {
    from.years_until(to) * 365.0
}

/// The grid in its unit, its rows in order of time; the last is the first expiration.
fn grid_wire(g: Grid, (at, horizon): (desk::Moment, &Horizon), whole: Option<f64>) -> GridWire {
    let since = |moment| days_between(at, moment);
    let dates = g.dates.iter().zip(&g.profit);
    let mut dated: Vec<(String, f64, Vec<f64>)> = dates
        .map(|(at, profit)| (at.date().to_string(), since(*at), profit.clone()))
        .collect();
    dated.sort_by(|a, b| a.1.total_cmp(&b.1));
    dated.dedup_by(|later, earlier| later.1 - earlier.1 < 0.3);
    let last = g.profit.last();
    let end = (horizon.date.to_string(), since(horizon.moment));
    dated.extend(last.map(|profit| (end.0, end.1, profit.clone())));
    let in_unit = |row: &Vec<f64>, whole: f64| row.iter().map(|v| v / whole).collect();
    GridWire {
        prices: g.prices,
        names: g.names.iter().map(|n| price_names(n)).collect(),
        dates: dated.iter().map(|d| d.0.clone()).collect(),
        days: dated.iter().map(|d| d.1).collect(),
        values: whole.map(|whole| dated.iter().map(|d| in_unit(&d.2, whole)).collect()),
    }
}

fn chances_at_wire(d: ChancesAt, at: desk::Moment) -> ChancesAtWire {
    let t = d.touches;
    ChancesAtWire {
        date: d.at.date().to_string(),
        days: days_between(at, d.at),
        ends: d.ends.to_vec(),
        touches: vec![t.low, t.high, t.either, t.both, t.neither],
        profit: d.profit,
        expected: d.expected,
        density: d.density,
    }
}

pub(crate) fn bench_wire(
    judged: Judged,
    underlying: &Underlying,
    (effect, events): (BookEffect, Vec<EventMark>),
    unit: GridUnit,
) -> BenchWire {
    let Judged {
        evaluation: e,
        bench: b,
        asked,
    } = judged;
    let since = |moment: desk::Moment| days_between(e.at, moment);
    let even = |e: &Even| match e {
        Even::Point(p) | Even::Range(p, _) => Price::to_f64(*p),
    };
    let whole = match (unit, &e.horizon.shape.most) {
        (GridUnit::Money, _) => Some(1.0),
        (GridUnit::OfMost, Extent::Limited { profit, .. }) => Some(profit.to_f64() / 100.0),
        (GridUnit::OfMost, Extent::Unlimited) => None,
        (GridUnit::OfCapital, _) => Some(e.money.tied_up.to_f64() / 100.0),
    }
    .filter(|whole| *whole > 0.0);
    let (aim, until) = (asked.chances.as_ref(), since(b.horizon.moment));
    let grid = b.grid.map(|g| grid_wire(g, (e.at, &b.horizon), whole));
    BenchWire {
        effect,
        events,
        days: until,
        bands: b.bands.to_vec(),
        evens: b.horizon.shape.evens.iter().map(even).collect(),
        most: extent(&b.horizon.shape.most),
        least: extent(&b.horizon.shape.least),
        outline: b.outline,
        below: b.below,
        lines: b
            .lines
            .into_iter()
            .map(|l| DateLineWire {
                at: l.at.to_string(),
                days: since(l.at),
                profit: l.profit,
                evens: l.evens,
            })
            .collect(),
        map: b.map.map(|m| MapWire {
            days: m.days,
            prices: m.prices,
            profit: m.profit,
        }),
        greeks: b.greeks.map(|g| GreekCurvesWire {
            along: g.along,
            days: g.dates.iter().map(|d| since(*d)).collect(),
            net: g
                .net
                .iter()
                .map(|line| line.iter().map(greeks).collect())
                .collect(),
            legs: g
                .legs
                .iter()
                .map(|leg| leg.iter().map(greeks).collect())
                .collect(),
        }),
        grid,
        no_chances: b.no_chances.map(|why| why.to_string()),
        chances: b.chances.map(|c| ChancesWire {
            lower: c.between.0,
            higher: c.between.1,
            target: aim.and_then(|a| a.target),
            stop: aim.and_then(|a| a.stop),
            reached: c.reached,
            stopped: c.stopped,
            dates: c
                .dates
                .into_iter()
                .map(|d| chances_at_wire(d, e.at))
                .collect(),
        }),
        prices: b.prices,
        evaluation: evaluation(&e, underlying),
    }
}
