//! Strategy-based margin of what is held in one underlying, in exact money.
//!
//! Rules: the shape of FINRA 4210(f)(2) and the exchanges' margin manuals for listed options (from
//! memory; the percentages are data below):
//! - bought options are paid in full and need nothing more;
//! - an uncovered call needs m·max(premium + a·S − out-of-the-money amount, premium + b·S), an
//!   uncovered put the same with b·K and never more than its strike, where a/b is 20 %/10 %
//!   (equity) or 15 %/10 % (broad index);
//! - a group of at most four contracts, whose longs do not expire before its shorts, needs its
//!   largest loss at expiration (gross of premiums): a spread its width, an iron condor its larger
//!   side;
//! - a short straddle or strangle needs its larger side plus the premium of the other;
//! - a call sold on shares held needs nothing more, a put sold on shares sold what it is in the
//!   money.
//!
//! Premiums are the current marks, so the requirement rises as a short goes wrong. Requirements
//! include the premium of what is short: buying power is cash (which holds that premium) less
//! requirements.
//!
//! Which contracts stand together is chosen by `regime` at the least total; here each group is
//! counted in exact money.
//!
//! Two other regimes re-value everything at the volatility that each mark implies (European,
//! interest and yield flat) and are rounded to the cent: an account under portfolio rules, where
//! the value of options stays in the equity, and products that are scanned whatever the account (an
//! index there stands for its future).

use std::collections::BTreeMap;

use jiff::civil::Date;
use quant::Kind;

use crate::account_rules::{AccountKind, AccountRules};
use crate::carry::Carry;
use crate::contract::strike_label;
use crate::number::{Money, Price};
use crate::regime::{MOST_LEGS, RegimeCase, RegimeKind, RegimeLeg, Strategy, strategy};
use crate::time::{Moment, day_number};
use crate::underlying::{MarginClass, Underlying, UnderlyingKind};

mod level;
mod revalued;

pub use level::{NeedsLevel, levels};
pub use revalued::at_move;
use revalued::{scanned, swept};

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
        match self
            .options
            .iter_mut()
            .find(|l| (l.kind, l.strike, l.expiry) == (leg.kind, leg.strike, leg.expiry))
        {
            Some(same) => same.quantity += leg.quantity,
            None => self.options.push(leg),
        }
        self.options.retain(|l| l.quantity != 0);
    }

    /// Both together.
    pub fn with(&self, more: &Holdings) -> Holdings {
        let mut joined = Holdings {
            underlying: self.underlying + more.underlying,
            ..self.clone()
        };
        for leg in &more.options {
            joined.add(*leg);
        }
        joined
    }
}

/// What the rules need to know beside what is held.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct MarginBasis {
    /// Price of the underlying.
    pub spot: Price,
    /// What it is.
    pub kind: UnderlyingKind,
    /// Which rules and percentages apply.
    pub class: MarginClass,
    /// Units per contract.
    pub multiplier: i64,
    /// The day, for what is left to an expiration.
    pub today: Date,
    /// Kind and level of the account.
    pub rules: AccountRules,
    /// Interest a year, for what is re-valued.
    pub rate: f64,
    /// Yield a year.
    pub carry_yield: f64,
}

impl MarginBasis {
    /// The basis of an underlying at a moment.
    pub fn of(
        underlying: &Underlying,
        spot: Price,
        at: Moment,
        carry: &Carry,
        rules: AccountRules,
        rate: f64,
    ) -> MarginBasis {
        let carry_yield = match carry {
            Carry::Future => rate,
            Carry::Yield(q) => *q,
            Carry::Dividends(_) => 0.0,
        };
        let (kind, class, multiplier) = (
            underlying.kind,
            underlying.margin_class,
            underlying.multiplier,
        );
        MarginBasis {
            spot,
            kind,
            class,
            multiplier,
            today: at.date(),
            rules,
            rate,
            carry_yield,
        }
    }

    /// How many shares or futures one option stands for.
    fn lot(&self) -> i64 {
        if self.kind == UnderlyingKind::Future {
            1
        } else {
            self.multiplier
        }
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
    /// Value of shares held, which counts like cash against the requirement (below zero for what
    /// was sold short).
    pub collateral: Money,
    /// Value of options that stays in the equity, under portfolio rules (below zero for what was
    /// sold).
    pub equity: Money,
    /// Its parts; they add up to it.
    pub parts: Vec<Part>,
}

impl Requirement {
    /// What it takes of buying power beside the cash that was paid.
    pub fn takes(&self) -> Money {
        self.total - self.collateral - self.equity
    }

    fn add(&mut self, what: String, amount: Money) {
        self.total += amount;
        self.parts.push(Part { what, amount });
    }
}

/// The requirement of everything held in one underlying, by the rules of its product or of the
/// account.
pub fn requirement(held: &Holdings, basis: &MarginBasis) -> Requirement {
    let found = match (basis.class, basis.rules.kind) {
        (MarginClass::Scan(rates), _) => scanned(held, basis, &rates),
        (_, AccountKind::Portfolio) => swept(held, basis),
        _ => Ok(by_strategy(held, basis)),
    };
    // What cannot be re-valued is margined by its strategy, which is never too little.
    found.unwrap_or_else(|_| by_strategy(held, basis))
}

/// What everything held would take of buying power, each series and the underlying taken alone.
pub fn one_by_one(held: &Holdings, basis: &MarginBasis) -> Money {
    let options = held.options.iter().map(|l| Holdings {
        options: vec![*l],
        underlying: 0,
    });
    let own = Holdings {
        options: Vec::new(),
        underlying: held.underlying,
    };
    options
        .chain([own])
        .map(|h| requirement(&h, basis).takes())
        .sum()
}

/// Half the value of shares, whichever side they are on, and what the options need beside them. In
/// a cash account shares are paid in full.
fn by_strategy(held: &Holdings, basis: &MarginBasis) -> Requirement {
    let mut out = Requirement::default();
    let count = held.underlying.abs();
    match basis.kind {
        UnderlyingKind::Future if count > 0 => out.add(
            format!("{count} × the future"),
            percent(basis.spot, FALLBACK.0).times(count * basis.multiplier),
        ),
        UnderlyingKind::Future => {}
        _ if basis.rules.kind == AccountKind::Cash && held.underlying > 0 => {}
        _ => {
            out.collateral = basis.spot.times(held.underlying);
            if count > 0 {
                out.add(
                    format!("{count} shares, half their value"),
                    percent(basis.spot, 50).times(count),
                );
            }
        }
    }
    let legs = in_order(held);
    for (group, times) in grouped(&legs, held.underlying, basis) {
        let Some((what, per_unit)) = group.needs(&legs, basis) else {
            continue;
        };
        out.add(
            format!("{times} × {what}"),
            per_unit.times(times * basis.multiplier),
        );
    }
    out
}

/// Calls before puts, near before far, so that the words have an order.
fn in_order(held: &Holdings) -> Vec<MarginLeg> {
    let mut legs = held.options.clone();
    legs.sort_by_key(|l| (l.expiry, l.kind == Kind::Put, l.strike));
    legs
}

/// Option legs as often as there are contracts of them, ascending, and whether a lot of the
/// underlying stands with them.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
struct Group {
    members: Vec<usize>,
    with_underlying: bool,
}

/// Which contracts stand together, and how often.
fn grouped(legs: &[MarginLeg], underlying: i64, basis: &MarginBasis) -> BTreeMap<Group, i64> {
    let mut out = BTreeMap::new();
    if legs.iter().all(|l| l.quantity > 0) {
        return out;
    }
    let option = |l: &MarginLeg| RegimeLeg {
        quantity: l.quantity,
        // Only the order of the days counts.
        kind: RegimeKind::Option {
            kind: l.kind,
            strike: l.strike.to_f64(),
            time: day_number(l.expiry).max(0) as f64,
            vol: None,
        },
        price: l.mark.to_f64().max(0.0),
    };
    let (share, least) = shares_of(basis.class);
    let puts_secured = basis.rules.puts_secured();
    let rules = Strategy {
        naked: share as f64 / 100.0,
        minimum: least as f64 / 100.0,
        stock_initial: 0.0,
        puts_secured,
    };
    // More series than are tried in all combinations stand in several lots: an upper bound then.
    for (piece, some) in legs.chunks(MOST_LEGS).enumerate() {
        let mut all: Vec<RegimeLeg> = some.iter().map(option).collect();
        // A future covers one option, as a lot of shares does.
        let units = underlying * basis.multiplier / basis.lot();
        if piece == 0 && units != 0 {
            all.push(RegimeLeg {
                quantity: units,
                kind: RegimeKind::Stock,
                price: basis.spot.to_f64(),
            });
        }
        let case = RegimeCase {
            price: basis.spot.to_f64(),
            multiplier: basis.multiplier as f64,
            legs: all,
        };
        let first = piece * MOST_LEGS;
        match strategy(&case, &rules) {
            Ok((_, groups)) => {
                for g in groups {
                    let options = g.legs.iter().filter(|(leg, _)| *leg < some.len());
                    let members: Vec<usize> = options
                        .flat_map(|(leg, n)| {
                            std::iter::repeat_n(first + leg, n.unsigned_abs() as usize)
                        })
                        .collect();
                    if !members.is_empty() {
                        *out.entry(Group {
                            with_underlying: members.len() < g.legs.len(),
                            members,
                        })
                        .or_default() += 1;
                    }
                }
            }
            // Not found: every contract alone, which is never too little.
            Err(_) => out.extend((0..some.len()).map(|i| {
                (
                    Group {
                        members: vec![first + i],
                        with_underlying: false,
                    },
                    some[i].quantity.abs(),
                )
            })),
        }
    }
    out
}

impl Group {
    /// In words, and what it needs per unit; nothing where nothing in it is sold.
    fn needs(&self, legs: &[MarginLeg], basis: &MarginBasis) -> Option<(String, Price)> {
        let all: Vec<&MarginLeg> = self.members.iter().map(|i| &legs[*i]).collect();
        let (shorts, longs): (Vec<&MarginLeg>, Vec<&MarginLeg>) =
            all.iter().partition(|l| l.quantity < 0);
        let sold = labels(&shorts);
        match shorts.as_slice() {
            [] => None,
            [short] if self.with_underlying => {
                let need = if short.kind == Kind::Call {
                    Price::ZERO
                } else {
                    (short.strike - basis.spot).max(Price::ZERO)
                };
                let what = if basis.kind == UnderlyingKind::Future {
                    "future"
                } else {
                    "shares"
                };
                Some((format!("{sold} on the {what}"), need))
            }
            [short] if longs.is_empty() => {
                let (naked, whole) = (uncovered(short, basis), short.strike);
                if short.kind == Kind::Put && (whole < naked || basis.rules.puts_secured()) {
                    Some((format!("{sold}, its whole strike"), whole))
                } else {
                    Some((format!("{sold} uncovered"), naked))
                }
            }
            [a, b] if longs.is_empty() => {
                Some((format!("{sold}, sold on both sides"), strangle(a, b, basis)))
            }
            _ => Some((
                format!("{sold} against {}", labels(&longs)),
                largest_loss(&all),
            )),
        }
    }
}

/// "110 call and 90 put".
fn labels(legs: &[&MarginLeg]) -> String {
    let word = |l: &&MarginLeg| {
        format!(
            "{} {}",
            strike_label(l.strike),
            if l.kind == Kind::Call { "call" } else { "put" }
        )
    };
    legs.iter().map(word).collect::<Vec<_>>().join(" and ")
}

/// Percent of a price, to the nearest 1e-8.
fn percent(price: Price, points: i64) -> Price {
    Price::from_raw((price.raw() * points + 50) / 100)
}

/// The same where a scanned product cannot be re-valued.
const FALLBACK: (i64, i64) = (15, 10);

/// Percent of the price for an uncovered option, and the least.
fn shares_of(class: MarginClass) -> (i64, i64) {
    match class {
        MarginClass::Equity => (20, 10),
        MarginClass::BroadIndex | MarginClass::LargeIndex => (15, 10),
        MarginClass::Scan(_) => FALLBACK,
    }
}

/// Uncovered requirement per unit, premium included.
fn uncovered(leg: &MarginLeg, basis: &MarginBasis) -> Price {
    let (share, least) = shares_of(basis.class);
    let (away, floor_on) = match leg.kind {
        Kind::Call => (leg.strike - basis.spot, basis.spot),
        Kind::Put => (basis.spot - leg.strike, leg.strike),
    };
    let away = away.max(Price::ZERO);
    leg.mark + (percent(basis.spot, share) - away).max(percent(floor_on, least))
}

/// The side that needs more uncovered, and the other's premium; of two equal sides the smaller
/// premium.
fn strangle(a: &MarginLeg, b: &MarginLeg, basis: &MarginBasis) -> Price {
    let (x, y) = (uncovered(a, basis), uncovered(b, basis));
    let other = match x.cmp(&y) {
        std::cmp::Ordering::Greater => b.mark,
        std::cmp::Ordering::Less => a.mark,
        std::cmp::Ordering::Equal => a.mark.min(b.mark),
    };
    x.max(y) + other
}

/// −min over prices of the payoff of one contract each at expiration, gross of premiums and per
/// unit; zero if it never loses. The legs must not be net short calls.
fn largest_loss(legs: &[&MarginLeg]) -> Price {
    let payoff = |s: Price| -> Price {
        let each = legs.iter().map(|l| {
            let inside = if l.kind == Kind::Call {
                s - l.strike
            } else {
                l.strike - s
            };
            inside.max(Price::ZERO) * l.quantity.signum()
        });
        each.fold(Price::ZERO, |sum, p| sum + p)
    };
    let kinks = legs.iter().map(|l| l.strike).chain([Price::ZERO]);
    kinks
        .map(|k| Price::ZERO - payoff(k))
        .max()
        .unwrap_or(Price::ZERO)
        .max(Price::ZERO)
}
