//! Strategy-based margin of option positions in one underlying.
//!
//! Rules: FINRA 4210(f)(2) and the Cboe margin manual for listed options (from memory; the
//! percentages are data below):
//! - bought options are paid in full and need nothing more;
//! - an uncovered call needs m·max(premium + a·S − out-of-the-money amount, premium + b·S), an
//!   uncovered put the same with b·K, where a/b is 20 %/10 % (equity) or 15 %/10 % (broad index);
//! - a short covered by a long that does not expire before it needs the strike difference in the
//!   losing direction, never more than uncovered;
//! - a group of one expiration never needs more than its largest loss at expiration (gross of
//!   premiums); of the two sides of an iron condor only the larger counts;
//! - a short straddle or strangle needs its larger side plus the premium of the other.
//!
//! Premiums are the current marks, so the requirement rises as a short goes wrong. Requirements
//! include the premium of what is short: buying power is cash (which holds that premium) less
//! requirements.
//!
//! Shorts are paired with longs by an exact minimum-cost assignment on each side; joining the two
//! sides is done by size. The total is therefore an upper bound of the least possible; it is exact
//! for every single structure that `naming` knows.

use jiff::civil::Date;
use quant::Kind;

use crate::assignment::assign;
use crate::number::{Money, Price};
use crate::underlying::{MarginClass, UnderlyingKind};

/// One option position as margin sees it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct MarginLeg {
    /// Call or put.
    pub kind: Kind,
    /// Strike per unit.
    pub strike: Price,
    /// Expiry date.
    pub expiry: Date,
    /// Signed contracts.
    pub quantity: i64,
    /// Current premium per unit.
    pub mark: Price,
}

/// Everything held in one underlying.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Holdings {
    /// Option positions, one for each series.
    pub options: Vec<MarginLeg>,
    /// Shares or futures, signed.
    pub underlying: i64,
}

impl Holdings {
    /// Adds one position; what cancels is dropped.
    pub fn add(&mut self, leg: MarginLeg) {
        match self.options.iter_mut().find(|l| (l.kind, l.strike, l.expiry) == (leg.kind, leg.strike, leg.expiry)) {
            Some(same) => same.quantity += leg.quantity,
            None => self.options.push(leg),
        }
        self.options.retain(|l| l.quantity != 0);
    }

    /// Both together.
    pub fn with(&self, more: &Holdings) -> Holdings {
        let mut joined = Holdings { underlying: self.underlying + more.underlying, ..self.clone() };
        for leg in &more.options {
            joined.add(*leg);
        }
        joined
    }
}

/// What the rules need to know of the underlying.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct MarginBasis {
    /// Price of the underlying.
    pub spot: Price,
    /// What it is.
    pub kind: UnderlyingKind,
    /// Which percentages apply.
    pub class: MarginClass,
    /// Units per contract.
    pub multiplier: i64,
}

impl MarginBasis {
    /// How many shares or futures one option stands for.
    fn lot(&self) -> i64 {
        if self.kind == UnderlyingKind::Future { 1 } else { self.multiplier }
    }
}

/// One part of a requirement: so many contracts held against so much money.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Part {
    /// In plain words, e.g. "2 × 95 put uncovered".
    pub what: String,
    /// Money it needs.
    pub amount: Money,
}

/// The requirement and how it comes about.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Requirement {
    /// Sum of the parts.
    pub total: Money,
    /// Value of shares held, which counts like cash against the requirement (below zero for what was sold short).
    pub collateral: Money,
    /// Its parts; empty when nothing is needed.
    pub parts: Vec<Part>,
}

impl Requirement {
    /// What it takes of buying power beside the cash that was paid.
    pub fn takes(&self) -> Money {
        self.total - self.collateral
    }

    fn add(&mut self, what: String, amount: Money) {
        if amount != Money::ZERO {
            self.total += amount;
            self.parts.push(Part { what, amount });
        }
    }
}

/// Most long legs whose every subset is tried; with more, all are used.
const MOST_SUBSETS: usize = 10;

/// The requirement of everything held in one underlying: half the value of shares, whichever side they are on, and what the options need
/// beside them. Shares cover sold calls (sold shares cover sold puts).
///
/// Covering a short with a long can spoil a cheaper joining of the two sides, so every choice of
/// longs to leave aside is tried: a bought option never adds to the requirement.
pub fn requirement(held: &Holdings, basis: &MarginBasis) -> Requirement {
    let mut out = options_requirement(&held.options, held.underlying / basis.lot(), basis);
    let count = held.underlying.abs();
    match basis.kind {
        UnderlyingKind::Future => out.add(format!("{count} × the future"), percent(basis.spot, 6).times(count * basis.multiplier)),
        _ => {
            out.collateral = basis.spot.times(held.underlying);
            out.add(format!("{count} shares, half their value"), percent(basis.spot, 50).times(count));
        }
    }
    out
}

/// The requirement of options beside the underlying of so many of them (short below zero).
fn options_requirement(legs: &[MarginLeg], covers: i64, basis: &MarginBasis) -> Requirement {
    let longs: Vec<usize> = (0..legs.len()).filter(|&i| legs[i].quantity > 0).collect();
    let choices = if longs.len() > MOST_SUBSETS { 1 } else { 1_u32 << longs.len() };
    (0..choices)
        .map(|aside| {
            let used = |i: &usize| longs.iter().position(|l| l == i).is_none_or(|bit| aside & (1 << bit) == 0);
            let chosen: Vec<MarginLeg> = (0..legs.len()).filter(used).map(|i| legs[i]).collect();
            with_longs(&chosen, covers, basis)
        })
        .min_by_key(|r| r.total)
        .unwrap_or_default()
}

fn with_longs(legs: &[MarginLeg], covers: i64, basis: &MarginBasis) -> Requirement {
    let paired = paired(legs, covers, basis);
    let mut by_expiry = Requirement::default();
    let mut dates: Vec<Date> = legs.iter().map(|l| l.expiry).collect();
    dates.sort_unstable();
    dates.dedup();
    for day in dates {
        let group: Vec<MarginLeg> = legs.iter().filter(|l| l.expiry == day).copied().collect();
        let best = one_expiration(&group, basis);
        by_expiry.total += best.total;
        by_expiry.parts.extend(best.parts);
    }
    if by_expiry.total < paired.total { by_expiry } else { paired }
}

/// Percent of a price, to the nearest 1e-8.
fn percent(price: Price, points: i64) -> Price {
    Price::from_raw((price.raw() * points + 50) / 100)
}

/// Uncovered requirement per unit, premium included.
fn uncovered(leg: &MarginLeg, basis: &MarginBasis) -> Price {
    let (share, least) = match basis.class {
        MarginClass::Equity => (20, 10),
        MarginClass::BroadIndex => (15, 10),
        MarginClass::Future => (6, 3),
    };
    let (away, floor_on) = match leg.kind {
        Kind::Call => (leg.strike - basis.spot, basis.spot),
        Kind::Put => (basis.spot - leg.strike, leg.strike),
    };
    let away = away.max(Price::ZERO);
    leg.mark + (percent(basis.spot, share) - away).max(percent(floor_on, least))
}

/// Strike difference a covered short can lose, per unit.
fn covered(short: &MarginLeg, long: &MarginLeg) -> Price {
    let width = match short.kind {
        Kind::Call => long.strike - short.strike,
        Kind::Put => short.strike - long.strike,
    };
    width.max(Price::ZERO)
}

/// What a short needs beside the underlying that covers it: nothing for a call, what it stands in the money for a put.
fn with_underlying(short: &MarginLeg, basis: &MarginBasis) -> Price {
    if short.kind == Kind::Call { Price::ZERO } else { (short.strike - basis.spot).max(Price::ZERO) }
}

/// One side after pairing: contracts, requirement per unit, and what of it is premium.
#[derive(Debug, Clone, Copy)]
struct Item {
    count: i64,
    need: Price,
    premium: Price,
    how: How,
    expiry: Date,
    strike: Price,
}

/// What stands against a sold option.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum How {
    Naked,
    Spread,
    /// The underlying.
    Covered,
}

/// Requirement by pairing shorts with longs and with the underlying, then joining the two sides.
fn paired(legs: &[MarginLeg], covers: i64, basis: &MarginBasis) -> Requirement {
    let calls = pair_side(legs, Kind::Call, covers.max(0), basis);
    let puts = pair_side(legs, Kind::Put, (-covers).max(0), basis);
    join_sides(calls, puts, basis.multiplier)
}

/// Shorts of one kind against longs and against the underlying, enough of it for `covers` of them.
fn pair_side(legs: &[MarginLeg], kind: Kind, covers: i64, basis: &MarginBasis) -> Vec<Item> {
    let of = |sign: i64| -> Vec<MarginLeg> { legs.iter().filter(|l| l.kind == kind && l.quantity * sign > 0).copied().collect() };
    let (shorts, longs) = (of(-1), of(1));
    let costs: Vec<Vec<Option<i64>>> = shorts
        .iter()
        .map(|s| {
            let naked = uncovered(s, basis).raw();
            let mut row: Vec<Option<i64>> = longs.iter().map(|l| (l.expiry >= s.expiry).then(|| covered(s, l).raw().min(naked))).collect();
            row.extend([Some(naked), Some(with_underlying(s, basis).raw())]);
            row
        })
        .collect();
    let supply: Vec<i64> = shorts.iter().map(|s| -s.quantity).collect();
    let mut capacity: Vec<i64> = longs.iter().map(|l| l.quantity).collect();
    capacity.extend([supply.iter().sum(), covers]);
    assign(&supply, &capacity, &costs)
        .into_iter()
        .map(|(short, column, count)| {
            let s = &shorts[short];
            let (how, need, premium) = match longs.get(column) {
                Some(long) => (How::Spread, covered(s, long), Price::ZERO),
                None if column == longs.len() => (How::Naked, uncovered(s, basis), s.mark),
                None => (How::Covered, with_underlying(s, basis), Price::ZERO),
            };
            Item { count, need, premium, how, expiry: s.expiry, strike: s.strike }
        })
        .collect()
}

/// Larger side only for covered pairs of one expiration; larger side plus the other premium for
/// uncovered ones; the rest adds up.
fn join_sides(mut calls: Vec<Item>, mut puts: Vec<Item>, multiplier: i64) -> Requirement {
    let mut out = Requirement::default();
    let free = |i: &Item| i.need - i.premium;
    calls.sort_by_key(|i| std::cmp::Reverse(free(i)));
    puts.sort_by_key(|i| std::cmp::Reverse(free(i)));
    for c in &mut calls {
        for p in &mut puts {
            let n = c.count.min(p.count);
            if n == 0 || c.how != p.how || c.how == How::Covered || (c.how == How::Spread && c.expiry != p.expiry) {
                continue;
            }
            let larger = if free(c) >= free(p) { c.need + p.premium } else { p.need + c.premium };
            let what = if c.how == How::Naked { "sold on both sides" } else { "larger side of" };
            out.add(format!("{n} × {} call / {} put, {what}", label(c.strike), label(p.strike)), larger.times(n * multiplier));
            c.count -= n;
            p.count -= n;
        }
    }
    for (item, kind) in calls.iter().map(|i| (i, "call")).chain(puts.iter().map(|i| (i, "put"))) {
        let how = match item.how {
            How::Naked => "uncovered",
            How::Spread => "spread",
            How::Covered => "covered, in the money",
        };
        out.add(format!("{} × {} {kind} {how}", item.count, label(item.strike)), item.need.times(item.count * multiplier));
    }
    out
}

fn label(strike: Price) -> String {
    crate::contract::strike_label(strike)
}

/// Best of: pairing; or the excess shorts uncovered and the rest by its largest loss.
fn one_expiration(legs: &[MarginLeg], basis: &MarginBasis) -> Requirement {
    let mut best = paired(legs, 0, basis);
    for outermost in [true, false] {
        let (naked, rest) = split_excess(legs, outermost);
        let mut candidate = join_sides(pair_side(&naked, Kind::Call, 0, basis), pair_side(&naked, Kind::Put, 0, basis), basis.multiplier);
        candidate.add("largest loss at expiration".into(), largest_loss(&rest, basis.multiplier));
        if candidate.total < best.total {
            best = candidate;
        }
    }
    best
}

/// Takes from each side the shorts that no long can cover, the farthest out of the money first (or
/// the nearest).
fn split_excess(legs: &[MarginLeg], outermost: bool) -> (Vec<MarginLeg>, Vec<MarginLeg>) {
    let (mut naked, mut rest) = (Vec::new(), legs.to_vec());
    for kind in [Kind::Call, Kind::Put] {
        let mut excess = -rest.iter().filter(|l| l.kind == kind).map(|l| l.quantity).sum::<i64>();
        let mut order: Vec<usize> = (0..rest.len()).filter(|&i| rest[i].kind == kind && rest[i].quantity < 0).collect();
        order.sort_by_key(|&i| rest[i].strike);
        if (kind == Kind::Call) == outermost {
            order.reverse();
        }
        for i in order {
            let n = excess.min(-rest[i].quantity).max(0);
            if n > 0 {
                naked.push(MarginLeg { quantity: -n, ..rest[i] });
                rest[i].quantity += n;
                excess -= n;
            }
        }
    }
    rest.retain(|l| l.quantity != 0);
    (naked, rest)
}

/// −min over prices of the payoff at expiration, gross of premiums; zero if it never loses. The
/// legs must not be net short calls.
fn largest_loss(legs: &[MarginLeg], multiplier: i64) -> Money {
    let payoff = |s: Price| -> Money {
        legs.iter()
            .map(|l| {
                let inside = if l.kind == Kind::Call { s - l.strike } else { l.strike - s };
                inside.max(Price::ZERO).times(l.quantity * multiplier)
            })
            .sum()
    };
    let kinks = legs.iter().map(|l| l.strike).chain([Price::ZERO]);
    kinks.map(|k| -payoff(k)).max().unwrap_or(Money::ZERO).max(Money::ZERO)
}
