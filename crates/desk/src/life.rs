//! The profit of a campaign over the days of its life, and what made it: the price, its curvature,
//! time, volatility, interest, dividends, what was paid to the market at its fills, and what none of
//! these explains.
//!
//! From look to look the profit of what was held is δ·ΔS + ½·γ·ΔS² + θ·Δt + vega·Δσ + ρ·Δr to second order
//! (the expansion of Taylor in the model's own Greeks at the first look); the rest is named as such
//! and never spread over the others.

use std::collections::BTreeMap;

use crate::account::{Chapter, ChapterKind};
use crate::instrument::Instrument;
use crate::number::{Money, Price};
use crate::time::Moment;
use crate::underlying::Underlying;
use crate::valuation::PositionGreeks;

/// One instrument at a look.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Looked {
    /// Its mark; of an option that ends there, its exercise value.
    pub mark: Price,
    /// Its volatility; zero for the underlying itself.
    pub vol: f64,
    /// Interest to its end; zero for the underlying itself, and at its end.
    pub rate: f64,
    /// Greeks of one contract or share, in money.
    pub greeks: PositionGreeks,
}

/// One look: everything that was held until then, and is held from then on.
#[derive(Debug, Clone)]
pub struct Look {
    /// The moment of the look.
    pub at: Moment,
    /// Price of the underlying.
    pub spot: f64,
    /// What each instrument was worth and how it answered, by instrument.
    pub legs: BTreeMap<Instrument, Looked>,
}

/// What made a profit. All of it in money; the sum is `total`.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Parts {
    /// All of it, exactly.
    pub total: Money,
    /// The move of the price.
    pub delta: f64,
    /// Money that the squared move of the price brought beyond delta.
    pub gamma: f64,
    /// Money that passing time brought.
    pub theta: f64,
    /// The change of each volatility.
    pub vega: f64,
    /// The change of the interest that each is priced with.
    pub rate: f64,
    /// Dividends on shares.
    pub dividends: f64,
    /// Fills and settlements away from the marks of their moment, and cash without a fill.
    pub trades: f64,
    /// Fees, below zero.
    pub fees: Money,
    /// What none of these explains.
    pub other: f64,
}

impl Parts {
    /// What the model explains of it.
    pub fn explained(&self) -> f64 {
        self.delta + self.gamma + self.theta + self.vega + self.rate
    }

    /// Adds the parts of two stretches or positions.
    pub fn plus(self, o: Parts) -> Parts {
        Parts {
            total: self.total + o.total,
            delta: self.delta + o.delta,
            gamma: self.gamma + o.gamma,
            theta: self.theta + o.theta,
            vega: self.vega + o.vega,
            rate: self.rate + o.rate,
            dividends: self.dividends + o.dividends,
            trades: self.trades + o.trades,
            fees: self.fees + o.fees,
            other: self.other + o.other,
        }
    }
}

/// From one look to the next, or what was traded at one.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Stride {
    /// The moment of the later of the two looks.
    pub at: Moment,
    /// The chapter that it belongs to, by its place: a fill opens its own.
    pub chapter: usize,
    /// What made the profit in it.
    pub parts: Parts,
    /// Profit of all so far.
    pub running: Money,
}

/// What is held after all chapters up to a moment.
pub fn held_by(chapters: &[Chapter], at: Moment) -> BTreeMap<Instrument, i64> {
    let mut held: BTreeMap<Instrument, i64> = BTreeMap::new();
    for chapter in chapters.iter().filter(|c| c.at <= at) {
        for (instrument, quantity) in &chapter.legs {
            *held.entry(instrument.clone()).or_default() += quantity;
        }
    }
    held.retain(|_, quantity| *quantity != 0);
    held
}

const DAY: f64 = 86_400_000.0;

/// The strides between looks, of which every chapter's moment is one. Nothing where a look does not
/// know something that was held then.
pub fn life(chapters: &[Chapter], looks: &[Look], u: &Underlying) -> Option<Vec<Stride>> {
    let worth = |i: &Instrument, quantity: i64, mark: Price| mark.times(quantity * u.units(i));
    let mut out = Vec::with_capacity(2 * looks.len());
    let mut stride = |at: Moment, parts: Parts, chapter: usize| {
        out.push(Stride {
            at,
            chapter,
            parts,
            running: Money::ZERO,
        });
    };
    let written = |until: Moment| chapters.iter().rposition(|c| c.at <= until);
    for pair in looks.windows(2) {
        let (last, look) = (&pair[0], &pair[1]);
        let days = (look.at.millis() - last.at.millis()) as f64 / DAY;
        let moved = look.spot - last.spot;
        let mut parts = Parts::default();
        for (instrument, quantity) in held_by(chapters, last.at) {
            let (from, to) = (last.legs.get(&instrument)?, look.legs.get(&instrument)?);
            let n = quantity as f64;
            parts.total = parts.total + worth(&instrument, quantity, to.mark)
                - worth(&instrument, quantity, from.mark);
            parts.delta += n * from.greeks.delta * moved;
            parts.gamma += n * 0.5 * from.greeks.gamma * moved * moved;
            parts.theta += n * from.greeks.theta * days;
            // What ends has no volatility any more.
            if to.vol > 0.0 && from.vol > 0.0 {
                parts.vega += n * from.greeks.vega * 100.0 * (to.vol - from.vol);
                parts.rate += n * from.greeks.rho * 100.0 * (to.rate - from.rate);
            }
        }
        parts.other = parts.total.to_f64() - parts.explained();
        stride(look.at, parts, written(last.at).unwrap_or(0));
    }
    for look in looks {
        let mut here = chapters.iter().filter(|c| c.at == look.at).peekable();
        if here.peek().is_none() {
            continue;
        }
        let mut parts = Parts::default();
        for chapter in here {
            parts.total += chapter.cash;
            if chapter.kind == ChapterKind::Dividend {
                parts.dividends += chapter.cash.to_f64();
            }
            parts.fees -= chapter.fees;
            for (instrument, quantity) in &chapter.legs {
                parts.total += worth(instrument, *quantity, look.legs.get(instrument)?.mark);
            }
        }
        parts.trades = parts.total.to_f64() - parts.dividends;
        parts.total += parts.fees;
        stride(look.at, parts, written(look.at).unwrap_or(0));
    }
    out.sort_by_key(|s: &Stride| s.at);
    let mut running = Money::ZERO;
    for s in &mut out {
        running += s.parts.total;
        s.running = running;
    }
    Some(out)
}
