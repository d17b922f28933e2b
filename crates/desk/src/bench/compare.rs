//! Drafts in one underlying side by side at one price and date.

use super::Bench;
use crate::evaluate::Evaluation;
use crate::holding::Holding;
use crate::number::Money;
use crate::time::Moment;
use crate::underlying::Underlying;

/// One draft at the price and date.
#[derive(Debug, Clone)]
pub struct Compared {
    /// Profit at the price and date.
    pub profit: f64,
    /// What is tied up.
    pub tied_up: Money,
    /// Profit as a share of it; none where nothing is tied up.
    pub part: Option<f64>,
    /// Chance of a profit on the date.
    pub chance: f64,
    /// Value of the units it controls over what is tied up; none where nothing is.
    pub leverage: Option<f64>,
    /// Most to lose; none without a limit.
    pub least: Option<Money>,
    /// Profit at its first expiration at each of the prices.
    pub outline: Vec<f64>,
    /// Profit on the date at each of the prices.
    pub on_date: Vec<f64>,
}

/// A row in which one of several drafts may do best.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ComparedRow {
    /// Profit at the price and date.
    Profit,
    /// Profit as a share of what is tied up.
    Part,
    /// Chance of a profit.
    Chance,
    /// Value controlled over what is tied up.
    Leverage,
    /// Most to lose.
    Least,
}

/// How many shares or futures the largest leg of a holding is on.
pub fn units_controlled(holding: &Holding, underlying: &Underlying) -> i64 {
    let of = |l: &crate::holding::Leg| {
        let lot = l.instrument.option().map_or(1, |_| underlying.lot());
        l.quantity.abs() * lot
    };
    holding.legs().iter().map(of).max().unwrap_or(0)
}

/// Prices on which several outlines are drawn: past the span of the first one and past the price
/// that they are compared at, evenly apart so that the curves share them; every corner between is
/// one of them, so that straight pieces are drawn straight.
pub fn shared_prices(
    first: &[f64],
    spot: f64,
    price: f64,
    corners: impl IntoIterator<Item = f64>,
) -> Vec<f64> {
    const STEPS: u32 = 200;
    let low = first.first().copied().unwrap_or(spot).min(price * 0.98);
    let high = first.last().copied().unwrap_or(spot).max(price * 1.02);
    let even = (0..=STEPS).map(|i| low + (high - low) * f64::from(i) / f64::from(STEPS));
    let inside = corners.into_iter().filter(|k| (low..=high).contains(k));
    let mut prices: Vec<f64> = even.chain(inside).collect();
    prices.sort_by(f64::total_cmp);
    prices.dedup();
    prices
}

/// A curve at a price, straight between its points and beyond them.
fn between(prices: &[f64], values: &[f64], at: f64) -> f64 {
    let after = prices
        .partition_point(|p| *p < at)
        .clamp(1, prices.len() - 1);
    let share = (at - prices[after - 1]) / (prices[after] - prices[after - 1]);
    values[after - 1] + share * (values[after] - values[after - 1])
}

impl Compared {
    /// Reads a draft that was judged with one date, one price in its grid and with chances. Behind
    /// its first expiration its end counts.
    pub fn of(
        (evaluation, bench): (&Evaluation, &Bench),
        underlying: &Underlying,
        structure: &Holding,
        date: Moment,
        prices: &[f64],
    ) -> Compared {
        let ended = bench.horizon.moment <= date;
        let grid = bench.grid.as_ref().map_or(&[][..], |g| &g.profit[..]);
        let profit = if ended { grid.last() } else { grid.first() }
            .and_then(|p| p.first())
            .copied()
            .unwrap_or(0.0);
        let chances = bench.chances.as_ref().map_or(&[][..], |c| &c.dates[..]);
        let chance = if ended {
            chances.last()
        } else {
            chances.first()
        }
        .map_or(0.0, |c| c.profit);
        let tied_up = evaluation.money.tied_up;
        let share = |v: f64| (tied_up > Money::ZERO).then(|| v / tied_up.to_f64());
        let curve = |values: &[f64]| -> Vec<f64> {
            let at = |p: &f64| between(&bench.prices, values, *p);
            prices.iter().map(at).collect()
        };
        let of_a_future = if underlying.settles_daily() {
            underlying.multiplier
        } else {
            1
        };
        let units = units_controlled(structure, underlying) * of_a_future;
        let outline = curve(&bench.outline);
        Compared {
            profit,
            tied_up,
            part: share(profit),
            chance,
            leverage: share(units as f64 * evaluation.spot.to_f64()),
            least: evaluation.horizon.shape.least.limited(),
            on_date: if ended {
                outline.clone()
            } else {
                bench
                    .lines
                    .first()
                    .map_or_else(Vec::new, |l| curve(&l.profit))
            },
            outline,
        }
    }
}

/// In which rows each of several drafts does best; equal ones do so together.
pub fn best_of(drafts: &[Compared]) -> Vec<Vec<ComparedRow>> {
    type Row = (ComparedRow, fn(&Compared) -> Option<f64>);
    const ROWS: [Row; 5] = [
        (ComparedRow::Profit, |c| Some(c.profit)),
        (ComparedRow::Part, |c| c.part),
        (ComparedRow::Chance, |c| Some(c.chance)),
        (ComparedRow::Leverage, |c| c.leverage),
        (ComparedRow::Least, |c| c.least.map(Money::to_f64)),
    ];
    let mut best = vec![Vec::new(); drafts.len()];
    for (row, of) in ROWS {
        let top = drafts.iter().filter_map(of).reduce(f64::max);
        for (rows, draft) in best.iter_mut().zip(drafts) {
            if of(draft).is_some() && of(draft) == top {
                rows.push(row);
            }
        }
    }
    best
}
