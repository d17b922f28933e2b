//! Scout: every structure of chosen families, judged under the market's law and under one's own.
//!
//! A candidate is looked at on one date: what ends there counts its exercise value at the price then,
//! what lasts longer its model value there with the interest, the yield and the volatility that it
//! has now, undiscounted; early exercise before the date is left out. The same judgement serves the
//! batch command and the screen.

mod families;
mod field;
mod law;
mod measure;

use std::cmp::Ordering;
use std::collections::HashMap;
use std::sync::{PoisonError, RwLock};

use quant::Kind;
use rayon::prelude::*;

pub use families::{FAMILIES, Family};
pub use field::{OptionQuoted, ScoutEnding, Scouted};
pub use law::{ExpectationError, Laws, MarketLaw, Region, Upto, Variance};
pub use measure::{Measured, Pieces};

use crate::account_rules::{AccountKind, AccountRules};
use crate::instrument::Instrument;
use crate::margin::{MarginBasis, MarginHolding, MarginLeg, requirement};
use crate::number::{Decimal, Money, Price};
use crate::price_style::PriceStyle;
use crate::underlying::{MarginClass, UnderlyingKind};
use families::{Pack, each, in_order, seeds};
use field::Prepared;

/// What the best is measured by.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Rank {
    /// Mean profit.
    Expected,
    /// Chance of profit.
    Chance,
    /// Mean by one's own law less that by the market's.
    Excess,
    /// Mean for what is tied up.
    #[default]
    ExpectedPerCapital,
    /// Mean for what can be lost.
    ExpectedPerLoss,
    /// Mean for a calendar day.
    ExpectedPerDay,
}

/// Every rank with its word.
pub const RANKS: &[(Rank, &str)] = &[
    (Rank::Expected, "expected"),
    (Rank::Chance, "chance"),
    (Rank::Excess, "excess"),
    (Rank::ExpectedPerCapital, "expected_per_capital"),
    (Rank::ExpectedPerLoss, "expected_per_loss"),
    (Rank::ExpectedPerDay, "expected_per_day"),
];

/// What is asked.
#[derive(Debug, Clone)]
pub struct ScoutAsked {
    /// Families.
    pub families: Vec<Family>,
    /// Between neighbouring strikes of one wing, in price; nothing: as wide as may be.
    pub width: Option<f64>,
    /// Deviations of its expiration that a strike lies from the forward at most.
    pub reach: f64,
    /// Part of the way from the middle to the far side that is paid: 0 to 1.
    pub price: Decimal,
    /// Fees of the entry are taken off.
    pub fees: bool,
    /// What the best is measured by.
    pub rank: Rank,
    /// So many of the best; nothing: all.
    pub best: Option<usize>,
}

/// One package, judged.
#[derive(Debug, Clone, PartialEq)]
pub struct JudgedPack {
    /// Its family.
    pub family: Family,
    /// Its legs in order: the underlying first, then strikes ascending, puts before calls.
    pub legs: Vec<(Instrument, i64)>,
    /// Net price of one package, bought.
    pub price: Price,
    /// The same as money, before fees.
    pub net: Money,
    /// Margin of it alone by strategy rules, and the net.
    pub capital: Money,
    /// Its figures in money.
    pub measured: Measured,
}

/// What was found.
#[derive(Debug, Clone)]
pub struct Found {
    /// How many were judged.
    pub judged: usize,
    /// Longer options without an implied volatility: in no candidate.
    pub unvalued: usize,
    /// How many of them were given.
    pub given: usize,
}

/// Why nothing can be found.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum ScoutError {
    /// A model refused.
    #[error(transparent)]
    Model(#[from] quant::Error),
    /// Too many to keep their order.
    #[error(
        "more than {0} candidates; narrow them by families, by the width of a wing or by the reach"
    )]
    TooMany(usize),
    /// More options than places.
    #[error("{0} options take part; at most {1} can: narrow the reach")]
    TooWide(usize, usize),
}

/// So many candidates (32 B each, held twice while they are gathered) keep their order within 300 MB.
const MOST: usize = 4_000_000;

/// Everything that the figures of a pack come from, prepared once.
struct Judge<'a> {
    m: Prepared<'a>,
    asked: &'a ScoutAsked,
    basis: MarginBasis,
    multiplier: i64,
    lot: i64,
    whole: Upto,
    zero: Upto,
    /// Where each option stands among all as they are written.
    order: Vec<u32>,
    /// Margins of packs whose sold options are covered, by their shape.
    margins: RwLock<HashMap<Spans, Money>>,
}

/// Of each leg of one expiration: a put, its quantity, its distance from the first strike.
type Spans = [(bool, i8, i64); 4];

impl<'a> Judge<'a> {
    fn new(scouted: &'a Scouted<'a>, asked: &'a ScoutAsked) -> Result<Judge<'a>, ScoutError> {
        let m = Prepared::new(scouted, asked.reach)?;
        if m.series.len() > usize::from(u16::MAX) {
            return Err(ScoutError::TooWide(m.series.len(), usize::from(u16::MAX)));
        }
        let u = scouted.underlying;
        let class = match u.margin_class {
            // Strategy rules know no scan: the shares of single names stand in.
            MarginClass::Scan(_) => MarginClass::Equity,
            other => other,
        };
        let mut written: Vec<(String, usize)> = (0..m.series.len())
            .map(|i| (m.series[i].contract.to_string(), i))
            .collect();
        written.sort();
        let mut order = vec![0; written.len()];
        for (place, (_, i)) in written.iter().enumerate() {
            order[*i] = place as u32 + 1;
        }
        let first = scouted.endings.first();
        Ok(Judge {
            basis: MarginBasis {
                spot: scouted.spot,
                kind: u.kind,
                class,
                multiplier: u.multiplier,
                today: scouted.at.date(),
                rules: AccountRules {
                    kind: AccountKind::Margin,
                    level: crate::account_rules::HIGHEST_LEVEL,
                },
                rate: first.map_or(0.0, |e| e.rate),
                carry_yield: first.map_or(0.0, |e| e.paid),
            },
            multiplier: u.multiplier,
            lot: u.lot(),
            whole: scouted.laws.upto(f64::INFINITY),
            zero: scouted.laws.upto(0.0),
            order,
            margins: RwLock::default(),
            asked,
            m,
        })
    }

    /// Price of one package: the middle, and a part of the way to the far side of every leg, rounded
    /// up to the step of its market: against who buys it.
    fn price(&self, pack: &Pack) -> Price {
        let (mut doubled, mut far) = (0_i128, 0_i128);
        for (i, n) in pack.legs() {
            let s = &self.m.series[usize::from(*i)];
            let n = i128::from(*n);
            doubled += n * i128::from(s.bid.raw() + s.ask.raw());
            let side = if n > 0 { s.ask } else { s.bid };
            far += n * i128::from(side.raw());
        }
        // A lot of shares counts once, since a price is one of a unit of an option.
        let spot = i128::from(self.m.scouted.spot.raw()) * i128::from(pack.lots);
        doubled += 2 * spot;
        far += spot;
        let (p, one) = (
            i128::from(self.asked.price.raw()),
            i128::from(Decimal::SCALE),
        );
        // M + p·(X − M) in twice the scale of p.
        let exact = doubled * one + p * (2 * far - doubled);
        let step = match self.m.scouted.underlying.style_of_price {
            PriceStyle::Decimal => Price::cents(1),
            _ => self.m.scouted.underlying.package_tick,
        };
        let unit = 2 * one * i128::from(step.raw());
        let steps = exact.div_euclid(unit) + i128::from(exact.rem_euclid(unit) > 0);
        Price::from_raw((steps * i128::from(step.raw())) as i64)
    }

    /// Fees of its entry.
    fn fees(&self, pack: &Pack) -> Money {
        let fees = self.m.scouted.fees;
        let contracts: i64 = pack.legs().iter().map(|(_, n)| i64::from(n.abs())).sum();
        let futures = if self.m.scouted.underlying.kind == UnderlyingKind::Future {
            i64::from(pack.lots.abs())
        } else {
            0
        };
        let of = |fee: Money, n: i64| Money::from_raw(fee.raw() * n);
        of(fees.option, contracts) + of(fees.future, futures)
    }

    /// What it ties up after its entry.
    fn capital(&self, pack: &Pack, net: Money) -> Money {
        let series = |i: u16| &self.m.series[usize::from(i)];
        let legs = in_order(&self.m, pack);
        let covered = [Kind::Call, Kind::Put].iter().all(|kind| {
            let of = pack
                .legs()
                .iter()
                .filter(|(i, _)| series(*i).contract.kind == *kind);
            of.map(|(_, n)| i32::from(*n)).sum::<i32>() >= 0
        });
        let strike = |i: usize| self.m.series[i].contract.strike.raw();
        let base = strike(legs[0].0);
        let first = self.m.series[legs[0].0].ending;
        let together = legs.iter().all(|(i, _)| self.m.series[*i].ending == first);
        // Within one expiration a sold option that something bought near it covers needs the distance
        // at most; alone it would need more, since that is a small part of the price. When all that is
        // bought is near, the price takes no part, and the shape alone decides.
        let close_to = |i: usize| {
            let near = legs.iter().filter(|(j, n)| {
                *n > 0 && self.m.series[*j].contract.kind == self.m.series[i].contract.kind
            });
            near.map(|(j, _)| (strike(*j) - strike(i)).abs()).max()
        };
        let narrow = legs
            .iter()
            .filter(|(_, n)| *n < 0)
            .all(|(i, _)| close_to(*i).is_some_and(|d| 20 * d <= self.basis.spot.raw()));
        let shape = (covered && together && narrow && pack.lots == 0).then(|| {
            let mut shape = Spans::default();
            for (to, (i, n)) in shape.iter_mut().zip(&legs) {
                let s = &self.m.series[*i];
                *to = (
                    s.contract.kind == Kind::Put,
                    *n,
                    s.contract.strike.raw() - base,
                );
            }
            shape
        });
        if let Some(shape) = &shape {
            let known = self.margins.read().unwrap_or_else(PoisonError::into_inner);
            if let Some(margin) = known.get(shape) {
                return *margin + net;
            }
        }
        let mut held = MarginHolding {
            options: Vec::with_capacity(legs.len()),
            underlying: i64::from(pack.lots) * self.lot,
        };
        for (i, n) in &legs {
            let s = &self.m.series[*i];
            held.options.push(MarginLeg {
                contract: s.contract.clone(),
                ends: self.m.scouted.endings[s.ending].ends,
                quantity: i64::from(*n),
                mark: Price::from_raw((s.bid.raw() + s.ask.raw()) / 2),
            });
        }
        let margin = requirement(&held, &self.basis).takes();
        if let Some(shape) = shape {
            let mut known = self.margins.write().unwrap_or_else(PoisonError::into_inner);
            known.insert(shape, margin);
        }
        margin + net
    }

    /// What is taken off its worth at the date to make it a profit: what was paid, and fees where they
    /// count. Shares bring their dividends, and of a future the gain alone counts.
    fn cost(&self, pack: &Pack, net: Money) -> f64 {
        let fees = if self.asked.fees {
            self.fees(pack)
        } else {
            Money::ZERO
        };
        let lots = self.lots(pack);
        let beside = if self.m.scouted.underlying.kind == UnderlyingKind::Future {
            lots * self.m.scouted.spot.to_f64()
        } else {
            -lots * self.m.scouted.dividends
        };
        net.to_f64() + fees.to_f64() + beside
    }

    /// Money of the underlying in it for 1.00 of its price.
    fn lots(&self, pack: &Pack) -> f64 {
        f64::from(pack.lots) * self.lot as f64 * self.own_units()
    }

    /// Mean profit by the market and by one's own law: the sum of what its legs come to.
    fn means(&self, pack: &Pack, cost: f64) -> (f64, f64) {
        let (units, lots) = (self.multiplier as f64, self.lots(pack));
        let mut sum = (
            lots * self.whole.market_mean - cost,
            lots * self.whole.own_mean - cost,
        );
        for (i, q) in pack.legs() {
            let (market, own) = self.m.series[usize::from(*i)].means;
            sum.0 += f64::from(*q) * units * market;
            sum.1 += f64::from(*q) * units * own;
        }
        sum
    }

    /// Its figures in money.
    fn measured(&self, pack: &Pack, net: Money) -> Measured {
        let (units, lots) = (self.multiplier as f64, self.lots(pack));
        let cost = self.cost(pack, net);
        let means = self.means(pack, cost);
        let series = |i: u16| &self.m.series[usize::from(i)];
        let lasts = pack.legs().iter().any(|(i, _)| !series(*i).ends_then);
        if lasts {
            return self.measured_on_the_grid(pack, (units, lots, cost), means);
        }
        let legs = in_order(&self.m, pack);
        let mut prices = [0.0; 5];
        let mut upto = [self.zero; 5];
        let mut n = 1;
        for (i, _) in &legs {
            let s = &self.m.series[*i];
            if prices[n - 1] != s.strike {
                prices[n] = s.strike;
                upto[n] = s.upto;
                n += 1;
            }
        }
        let mut profits = [0.0; 5];
        let mut slope = lots;
        for (i, q) in &legs {
            let s = &self.m.series[*i];
            let q = f64::from(*q) * units;
            for (profit, price) in profits.iter_mut().zip(&prices[..n]) {
                *profit += q * s.contract.kind.intrinsic(*price, s.strike);
            }
            if s.contract.kind == Kind::Call {
                slope += q;
            }
        }
        for (profit, price) in profits.iter_mut().zip(&prices) {
            *profit += lots * price - cost;
        }
        let pieces = Pieces {
            prices: &prices[..n],
            profits: &profits[..n],
            upto: &upto[..n],
            slope,
            far: None,
        };
        pieces.measured(self.m.scouted.laws, &self.whole, means)
    }

    /// Money of one of the underlying for 1.00 of its price.
    fn own_units(&self) -> f64 {
        if self.m.scouted.underlying.kind == UnderlyingKind::Future {
            self.multiplier as f64
        } else {
            1.0
        }
    }

    fn measured_on_the_grid(
        &self,
        pack: &Pack,
        (units, lots, cost): (f64, f64, f64),
        means: (f64, f64),
    ) -> Measured {
        let grid = &self.m.grid;
        let mut profits: Vec<f64> = grid.prices.iter().map(|p| lots * p - cost).collect();
        let (mut slope, mut level) = (lots, -cost);
        for (i, q) in pack.legs() {
            let s = &self.m.series[usize::from(*i)];
            let q = f64::from(*q) * units;
            match &s.lasting {
                Some(l) => {
                    for (profit, value) in profits.iter_mut().zip(&l.values) {
                        *profit += q * value;
                    }
                    slope += q * l.tail.slope;
                    level += q * l.tail.level;
                }
                None => {
                    let kind = s.contract.kind;
                    for (profit, price) in profits.iter_mut().zip(&grid.prices) {
                        *profit += q * kind.intrinsic(*price, s.strike);
                    }
                    if kind == Kind::Call {
                        slope += q;
                        level -= q * s.strike;
                    }
                }
            }
        }
        // Slopes that are rounding's alone are none.
        let slope = if slope.abs() < 1e-9 * units {
            0.0
        } else {
            slope
        };
        let pieces = Pieces {
            prices: &grid.prices,
            profits: &profits,
            upto: &grid.upto,
            slope,
            far: (slope == 0.0).then_some(level),
        };
        pieces.measured(self.m.scouted.laws, &self.whole, means)
    }

    fn net(&self, pack: &Pack) -> (Price, Money) {
        let price = self.price(pack);
        let future = self.m.scouted.underlying.kind == UnderlyingKind::Future;
        let mut net = price.times(self.multiplier);
        if future && pack.lots != 0 {
            net -= self
                .m
                .scouted
                .spot
                .times(self.multiplier * i64::from(pack.lots));
        }
        (price, net)
    }

    fn judged(&self, pack: &Pack) -> JudgedPack {
        let (price, net) = self.net(pack);
        JudgedPack {
            family: pack.family,
            legs: self.legs(pack),
            price,
            net,
            capital: self.capital(pack, net),
            measured: self.measured(pack, net),
        }
    }

    /// How good a pack is; nothing where the measure does not exist for it. Only what the measure
    /// needs is worked out.
    fn rank(&self, pack: &Pack) -> Option<f64> {
        let (_, net) = self.net(pack);
        let (market, own) = self.means(pack, self.cost(pack, net));
        match self.asked.rank {
            Rank::Expected => Some(own),
            Rank::Chance => Some(self.measured(pack, net).own_chance),
            Rank::Excess => Some(own - market),
            Rank::ExpectedPerCapital => {
                let capital = self.capital(pack, net);
                (capital > Money::ZERO).then(|| own / capital.to_f64())
            }
            Rank::ExpectedPerLoss => {
                let loss = -self.measured(pack, net).least?;
                (loss > 0.0).then(|| own / loss)
            }
            Rank::ExpectedPerDay => Some(own / self.m.scouted.days.max(1) as f64),
        }
    }

    /// By their legs as they are written: "+1 …; -1 …".
    fn by_legs(&self, a: &Pack, b: &Pack) -> Ordering {
        let marks = |p: &Pack| {
            let itself = (p.lots != 0).then(|| (i64::from(p.lots) * self.lot, 0));
            let options = in_order(&self.m, p).into_iter();
            let options = options.map(|(i, n)| (i64::from(n), self.order[i]));
            itself
                .into_iter()
                .chain(options)
                .collect::<Vec<(i64, u32)>>()
        };
        let (a, b) = (marks(a), marks(b));
        for ((n, x), (m, y)) in a.iter().zip(&b) {
            // "+" stands before "-", and numbers compare as text.
            let sign = (*n < 0).cmp(&(*m < 0));
            let text = || n.abs().to_string().cmp(&m.abs().to_string());
            let found = sign.then_with(text).then_with(|| x.cmp(y));
            if found != Ordering::Equal {
                return found;
            }
        }
        a.len().cmp(&b.len())
    }

    fn legs(&self, pack: &Pack) -> Vec<(Instrument, i64)> {
        let symbol = self.m.scouted.underlying.symbol.clone();
        let itself = (pack.lots != 0).then(|| {
            (
                Instrument::Underlying(symbol),
                i64::from(pack.lots) * self.lot,
            )
        });
        let options = in_order(&self.m, pack).into_iter().map(|(i, n)| {
            let contract = self.m.series[i].contract.clone();
            (Instrument::Option(contract), i64::from(n))
        });
        itself.into_iter().chain(options).collect()
    }
}

/// "+1 NMOU  310418P00170000; -1 NMOU  310418P00175000".
pub fn legs_text(legs: &[(Instrument, i64)]) -> String {
    let each: Vec<String> = legs
        .iter()
        .map(|(instrument, n)| format!("{n:+} {instrument}"))
        .collect();
    each.join("; ")
}

/// So many are judged again in full at a time, to be given.
const AT_ONCE: usize = 4_096;

/// Judges every candidate and gives the best, or all, in order, some at a time.
///
/// # Errors
/// Terms that the models refuse, or more candidates than can be kept in order.
pub fn scout(
    scouted: &Scouted<'_>,
    asked: &ScoutAsked,
    mut give: impl FnMut(Vec<JudgedPack>),
) -> Result<Found, ScoutError> {
    let judge = Judge::new(scouted, asked)?;
    let width = asked.width.unwrap_or(f64::INFINITY);
    let families: Vec<Family> = asked
        .families
        .iter()
        .copied()
        .filter(|f| !f.holds_the_underlying() || scouted.underlying.kind != UnderlyingKind::Index)
        .collect();
    let all = seeds(&judge.m, &families);
    let many: usize = all
        .par_iter()
        .map(|seed| {
            let mut n = 0;
            each(&judge.m, seed, width, &mut |_| n += 1);
            n
        })
        .sum();
    if many > MOST {
        return Err(ScoutError::TooMany(MOST));
    }
    let mut ranked: Vec<(f64, Pack)> = all
        .par_iter()
        .flat_map_iter(|seed| {
            let mut out = Vec::new();
            each(&judge.m, seed, width, &mut |pack| {
                let rank = judge.rank(&pack).filter(|r| !r.is_nan());
                out.push((rank.unwrap_or(f64::NEG_INFINITY), pack));
            });
            out
        })
        .collect();
    ranked.par_sort_unstable_by(|(a, x), (b, y)| b.total_cmp(a).then_with(|| judge.by_legs(x, y)));
    ranked.truncate(asked.best.unwrap_or(usize::MAX));
    for some in ranked.chunks(AT_ONCE) {
        give(some.par_iter().map(|(_, p)| judge.judged(p)).collect());
    }
    Ok(Found {
        judged: many,
        unvalued: judge.m.unvalued,
        given: ranked.len(),
    })
}
