//! What is looked over: an underlying, its expirations from a date on, their options as they are
//! quoted, and what each option comes to at that date.

use quant::{Accuracy, Kind, Model, Tail, Terms};
use rayon::prelude::*;

use super::law::{Laws, Upto};
use desk::Contract;
use desk::Moment;
use desk::Price;
use desk::{Fees, Underlying};

/// One option as it is quoted.
#[derive(Debug, Clone, PartialEq)]
pub struct OptionQuoted {
    /// The listed option that is quoted.
    pub contract: Contract,
    /// Bid; 0 where nobody bids.
    pub bid: Price,
    /// Lowest price at which somebody sells, per unit.
    pub ask: Price,
    /// Implied volatility of its middle; nothing where there is none.
    pub vol: Option<f64>,
    /// Delta of one unit.
    pub delta: f64,
    /// Contracts that exist of the series, as of last night.
    pub open_interest: i64,
}

/// What is quoted in one expiration, as a search reads it.
#[derive(Debug, Clone, PartialEq)]
pub struct ScoutEnding {
    /// When it ends.
    pub ends: Moment,
    /// Years until then.
    pub years: f64,
    /// Interest, continuously compounded.
    pub rate: f64,
    /// What the underlying pays, continuously compounded.
    pub paid: f64,
    /// The price carried there.
    pub forward: f64,
    /// Total variance at the forward.
    pub variance: f64,
    /// Its options, in any order.
    pub options: Vec<OptionQuoted>,
}

/// What is looked over.
pub struct Scouted<'a> {
    /// The underlying that is searched.
    pub underlying: &'a Underlying,
    /// Its price at that moment, per unit.
    pub spot: Price,
    /// The moment of price and quotes.
    pub at: Moment,
    /// The date that is looked at.
    pub by: Moment,
    /// Calendar days from the date of `at` to that of `by`.
    pub days: i64,
    /// Both laws of the price then.
    pub laws: &'a Laws,
    /// Mean of the price then, by the market.
    pub forward: f64,
    /// Deviation of its logarithm.
    pub deviation: f64,
    /// What trading costs.
    pub fees: Fees,
    /// Dividends in cash that a share is paid until then.
    pub dividends: f64,
    /// Expirations that end then or later, ascending.
    pub endings: Vec<ScoutEnding>,
}

/// An option that takes part, with its place.
#[derive(Debug, Clone)]
pub(super) struct SeriesThen {
    pub contract: Contract,
    pub bid: Price,
    pub ask: Price,
    pub delta: f64,
    pub open_interest: i64,
    pub strike: f64,
    /// Of its expiration.
    pub ending: usize,
    /// It ends at the date: worth its exercise value there.
    pub ends_then: bool,
    /// Both laws up to its strike.
    pub upto: Upto,
    /// Its mean at the date by the market and by one's own law.
    pub means: (f64, f64),
    /// What it comes to where it lasts longer.
    pub lasting: Option<LastingThen>,
}

/// A longer option at the date.
#[derive(Debug, Clone)]
pub(super) struct LastingThen {
    /// Value at each price of the grid.
    pub values: Vec<f64>,
    /// What it comes to at prices far above the grid.
    pub tail: Tail,
}

/// Prices that longer options are valued at: evenly in the logarithm, and 0.
pub(super) struct PriceGrid {
    pub prices: Vec<f64>,
    pub upto: Vec<Upto>,
    /// The places that are even in the logarithm; the others are strikes of what ends there.
    even: Vec<usize>,
    /// Every eighth of those, and all the others.
    pub coarse: Vec<usize>,
    /// Of three prices between each pair of even ones: both laws up to there, and the weights.
    between: Vec<[Upto; 3]>,
    whole: Upto,
}

/// Points over so many deviations either way.
const POINTS: usize = 961;
const REACH: f64 = 6.0;

impl PriceGrid {
    fn new(s: &Scouted<'_>, strikes: &[f64]) -> PriceGrid {
        let step = 2.0 * REACH * s.deviation / (POINTS - 1) as f64;
        let even = |i: f64| s.forward * (-REACH * s.deviation + step * i).exp();
        let mut marked: Vec<(f64, bool)> = (0..POINTS).map(|i| (even(i as f64), true)).collect();
        let inside = |k: &f64| *k > marked[0].0 && *k < marked[POINTS - 1].0;
        let more: Vec<(f64, bool)> = strikes
            .iter()
            .copied()
            .filter(inside)
            .map(|k| (k, false))
            .collect();
        marked.extend(more);
        marked.push((0.0, false));
        marked.sort_by(|a, b| a.0.total_cmp(&b.0).then(b.1.cmp(&a.1)));
        marked.dedup_by(|b, a| a.0 == b.0);
        let prices: Vec<f64> = marked.iter().map(|(p, _)| *p).collect();
        let places = marked.iter().enumerate().filter(|(_, (_, e))| *e);
        let even_places: Vec<usize> = places.map(|(i, _)| i).collect();
        let eighth = |(n, i): (usize, &usize)| (n % 8 == 0).then_some(*i);
        let mut coarse: Vec<usize> = even_places.iter().enumerate().filter_map(eighth).collect();
        let others = marked.iter().enumerate().filter(|(_, (_, e))| !*e);
        coarse.extend(others.map(|(i, _)| i));
        coarse.push(marked.len() - 1);
        coarse.sort_unstable();
        coarse.dedup();
        let quarter = |i: usize, part: f64| s.laws.upto(even(i as f64 + part));
        PriceGrid {
            upto: prices.iter().map(|p| s.laws.upto(*p)).collect(),
            even: even_places,
            coarse,
            between: (0..POINTS - 1)
                .map(|i| [quarter(i, 0.25), quarter(i, 0.5), quarter(i, 0.75)])
                .collect(),
            whole: s.laws.upto(f64::INFINITY),
            prices,
        }
    }

    /// Means of a smooth function that is known on the grid: between two even prices through four by
    /// Lagrange's polynomial, in quarters, each straight.
    fn means(&self, values: &[f64], tail: Tail) -> (f64, f64) {
        let (mut market, mut own) = (0.0, 0.0);
        let mut add = |(x0, v0, a): (f64, f64, &Upto), (x1, v1, b): (f64, f64, &Upto)| {
            let slope = (v1 - v0) / (x1 - x0);
            let base = v0 - slope * x0;
            market += base * (b.market - a.market) + slope * (b.market_mean - a.market_mean);
            own += base * (b.own - a.own) + slope * (b.own_mean - a.own_mean);
        };
        let even = |i: usize| (self.prices[self.even[i]], values[self.even[i]]);
        let last = self.even.len() - 1;
        // Below the first even price.
        let first = self.even[0];
        for i in 0..first {
            add(
                (self.prices[i], values[i], &self.upto[i]),
                (self.prices[i + 1], values[i + 1], &self.upto[i + 1]),
            );
        }
        let ratio = (even(1).0 / even(0).0).powf(0.25);
        for i in 0..last {
            let start = i.saturating_sub(1).min(last - 3);
            let known: [f64; 4] = std::array::from_fn(|k| even(start + k).1);
            let at = |part: f64| {
                let t = (i - start) as f64 + part;
                cubic(known, t)
            };
            let (x0, v0) = even(i);
            let (x1, v1) = even(i + 1);
            let mut from = (x0, v0, &self.upto[self.even[i]]);
            let mut x = x0;
            for (k, upto) in self.between[i].iter().enumerate() {
                x *= ratio;
                let to = (x, at(0.25 * (k + 1) as f64), upto);
                add(from, to);
                from = to;
            }
            add(from, (x1, v1, &self.upto[self.even[i + 1]]));
        }
        // Above the last straight on to the tail.
        let a = &self.upto[self.even[last]];
        let (x, v) = even(last);
        let base = v - tail.slope * x;
        let (m, o) = (self.whole.market - a.market, self.whole.own - a.own);
        market += base * m + tail.slope * (self.whole.market_mean - a.market_mean);
        own += base * o + tail.slope * (self.whole.own_mean - a.own_mean);
        (market, own)
    }
}

/// Lagrange's polynomial through values at 0, 1, 2 and 3.
fn cubic(v: [f64; 4], t: f64) -> f64 {
    let (a, b, c, d) = (t, t - 1.0, t - 2.0, t - 3.0);
    -v[0] * b * c * d / 6.0 + v[1] * a * c * d / 2.0 - v[2] * a * b * d / 2.0
        + v[3] * a * b * c / 6.0
}

/// Mean exercise value of an option.
fn exercised(kind: Kind, strike: f64, upto: &Upto, whole: &Upto) -> (f64, f64) {
    match kind {
        Kind::Put => (
            strike * upto.market - upto.market_mean,
            strike * upto.own - upto.own_mean,
        ),
        Kind::Call => (
            whole.market_mean - upto.market_mean - strike * (whole.market - upto.market),
            whole.own_mean - upto.own_mean - strike * (whole.own - upto.own),
        ),
    }
}

/// Everything that candidates are built from.
pub(super) struct Prepared<'a> {
    pub scouted: &'a Scouted<'a>,
    pub series: Vec<SeriesThen>,
    /// By expiration: calls and puts, strikes ascending, as places in `series`.
    pub sides: Vec<[Vec<usize>; 2]>,
    pub grid: PriceGrid,
    /// Options that have no implied volatility and last longer: in no candidate.
    pub unvalued: usize,
}

impl<'a> Prepared<'a> {
    /// Options within `reach` deviations of their expiration's forward.
    ///
    /// # Errors
    /// Terms that the models refuse.
    pub fn new(scouted: &'a Scouted<'a>, reach: f64) -> Result<Prepared<'a>, quant::Error> {
        let s = scouted;
        let mut series = Vec::new();
        let mut unvalued = 0;
        for (e, ending) in s.endings.iter().enumerate() {
            let ends_then = ending.ends == s.by;
            let far = reach * ending.variance.sqrt();
            for q in &ending.options {
                let strike = q.contract.strike.to_f64();
                if (strike / ending.forward).ln().abs() > far {
                    continue;
                }
                if !ends_then && q.vol.is_none() {
                    unvalued += 1;
                    continue;
                }
                series.push((q, e, ends_then, strike, ending));
            }
        }
        let strikes: Vec<f64> = series.iter().filter(|x| x.2).map(|x| x.3).collect();
        let grid = PriceGrid::new(s, &strikes);
        let of = |(q, e, ends_then, strike, ending): &(
            &OptionQuoted,
            usize,
            bool,
            f64,
            &ScoutEnding,
        )| {
            let upto = s.laws.upto(*strike);
            let (lasting, means) = match q.vol {
                Some(vol) if !ends_then => {
                    let terms = Terms {
                        kind: q.contract.kind,
                        style: s.underlying.style,
                        strike: *strike,
                        time: s.by.years_until(ending.ends),
                        rate: ending.rate,
                        carry_yield: ending.paid,
                        vol,
                    };
                    let model = Model::new(&terms, Accuracy::Interactive)?;
                    let mut values = vec![0.0; grid.prices.len()];
                    model.prices(&grid.prices, &mut values);
                    let tail = model.tail();
                    let means = grid.means(&values, tail);
                    (Some(LastingThen { values, tail }), means)
                }
                _ => (
                    None,
                    exercised(q.contract.kind, *strike, &upto, &grid.whole),
                ),
            };
            Ok(SeriesThen {
                contract: q.contract.clone(),
                bid: q.bid,
                ask: q.ask,
                delta: q.delta,
                open_interest: q.open_interest,
                strike: *strike,
                ending: *e,
                ends_then: *ends_then,
                upto,
                means,
                lasting,
            })
        };
        let series: Vec<SeriesThen> = series
            .par_iter()
            .map(of)
            .collect::<Result<_, quant::Error>>()?;
        let mut sides: Vec<[Vec<usize>; 2]> = vec![[Vec::new(), Vec::new()]; s.endings.len()];
        for (i, one) in series.iter().enumerate() {
            let side = usize::from(one.contract.kind == Kind::Put);
            sides[one.ending][side].push(i);
        }
        for side in sides.iter_mut().flatten() {
            side.sort_by_key(|i| series[*i].contract.strike);
        }
        Ok(Prepared {
            scouted,
            series,
            sides,
            grid,
            unvalued,
        })
    }
}
