//! Strategy-based margin of what is held in one underlying, in exact money.
//!
//! The rules, their table and their source are in [`Rule`]. Beside them: of shares held or sold
//! half the value is needed, and the value itself counts like cash; shares under a sold call count
//! at no more than its strike, because what lies above is promised away.
//!
//! Premiums are the current marks, so the requirement rises as a short goes wrong. Requirements
//! include the premium of what is short: buying power is cash (which holds that premium) less
//! requirements.
//!
//! Which contracts stand together, and by which rule, is chosen by `regime` at the least total;
//! here each group is counted by that rule in exact money.
//!
//! Two other regimes re-value everything at the volatility that each mark implies (European,
//! interest and yield flat) and are rounded to the cent: an account under portfolio rules, where
//! the value of options stays in the equity, and products that are scanned whatever the account (an
//! index there stands for its future).

use std::collections::BTreeMap;
use std::sync::Arc;

use jiff::civil::Date;
use quant::Kind;

use crate::account_rules::{AccountKind, AccountRules, HIGHEST_LEVEL};
use crate::carry::Carry;
use crate::contract::Contract;
use crate::number::{Money, Price};
use crate::regime::rule::{Amount, Shares, Sold, both_sides, in_the_money, uncovered};
use crate::regime::{MOST_LEGS, RegimeCase, RegimeKind, RegimeLeg, Rule, Strategy, strategy};
use crate::time::{Moment, day_number};
use crate::underlying::{MarginClass, Underlying, UnderlyingKind};

mod few;
mod level;
mod revalued;

pub use few::{FEW, OneContract, requirement_of_few};
pub use level::{NeedsLevel, levels};
pub use revalued::at_move;
use revalued::{scanned, swept};

/// One option position as margin sees it. The series decides what it is: two of one strike and
/// date that settle on different prints are two.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MarginLeg {
    /// The listed series that is held.
    pub contract: Contract,
    /// When it ends.
    pub ends: Moment,
    /// Contracts held, below zero where they were sold.
    pub quantity: i64,
    /// Current premium per unit.
    pub mark: Price,
}

impl MarginLeg {
    fn sold(&self) -> Sold<Price> {
        Sold {
            kind: self.contract.kind,
            strike: self.contract.strike,
            premium: self.mark,
        }
    }
}

/// Everything held in one underlying.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct MarginHolding {
    /// Option positions, one for each series.
    pub options: Vec<MarginLeg>,
    /// Shares or futures, signed.
    pub underlying: i64,
}

impl MarginHolding {
    /// Adds one position; what cancels is dropped.
    pub fn add(&mut self, leg: MarginLeg) {
        match self.options.iter_mut().find(|l| l.contract == leg.contract) {
            Some(same) => same.quantity += leg.quantity,
            None => self.options.push(leg),
        }
        self.options.retain(|l| l.quantity != 0);
    }

    /// Adds what another holding has, leg by leg.
    pub fn with(&self, more: &MarginHolding) -> MarginHolding {
        let mut joined = MarginHolding {
            underlying: self.underlying + more.underlying,
            ..self.clone()
        };
        for leg in &more.options {
            joined.add(leg.clone());
        }
        joined
    }
}

/// What the rules need to know beside what is held.
#[derive(Debug, Clone, PartialEq)]
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
    /// Yield a year; of an underlying that pays cash nothing, its dividends stand beside it.
    pub carry_yield: f64,
    /// Cash that shares are known to pay, by ex-moment, ascending: an option forgoes what is paid before it
    /// ends.
    pub dividends: Arc<[(Moment, Price)]>,
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
        let (carry_yield, dividends) = match carry {
            Carry::Future => (rate, Arc::default()),
            Carry::Yield(q) => (*q, Arc::default()),
            Carry::Dividends(paid) => {
                let ahead = paid.iter().filter(|(ex, _)| *ex > at);
                (0.0, ahead.copied().collect())
            }
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
            dividends,
        }
    }

    /// The present value of what is paid before a moment, per unit.
    fn paid_before(&self, ends: Moment) -> f64 {
        let until = |ex: Moment| (day_number(ex.date()) - day_number(self.today)) as f64 / 365.0;
        self.dividends
            .iter()
            .filter(|(ex, _)| *ex <= ends)
            .map(|(ex, cash)| cash.to_f64() * libm::exp(-self.rate * until(*ex)))
            .sum()
    }

    /// What strategy rules ask of any account, whatever its kind and level and whatever the product is
    /// margined by: `rates` are interest and yield.
    pub fn by_strategy(
        underlying: &Underlying,
        spot: Price,
        at: Moment,
        (rate, carry_yield): (f64, f64),
    ) -> MarginBasis {
        MarginBasis {
            spot,
            kind: underlying.kind,
            class: match underlying.margin_class {
                // Strategy rules know no scan: the shares of single names stand in.
                MarginClass::Scan(_) => MarginClass::Equity,
                other => other,
            },
            multiplier: underlying.multiplier,
            today: at.date(),
            rules: AccountRules {
                kind: AccountKind::Margin,
                level: HIGHEST_LEVEL,
            },
            rate,
            carry_yield,
            // Strategy rules re-value nothing.
            dividends: Arc::default(),
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
    /// Which contracts stand together, where strategy rules are the product's and the account's own.
    pairing: Option<Arc<Pairing>>,
}

impl Requirement {
    /// What it takes of buying power beside the cash that was paid.
    pub fn takes(&self) -> Money {
        self.total - self.collateral - self.equity
    }

    /// What the same positions take in another market if the same contracts stand together: never less than
    /// their requirement takes there, and found without a search. Nothing where the positions are not the same,
    /// where they are re-valued, and where shares are promised away: what of their value counts depends on
    /// which calls stand on them.
    ///
    /// A put spread 90/85 takes its width whatever the market; a 110 call sold, marked at 1.20 at a price of
    /// 100, takes 11.20 per unit, and 14.60 once it is marked at 2.20 at 102.
    pub fn at_most(&self, held: &MarginHolding, basis: &MarginBasis) -> Option<Money> {
        let pairing = self.pairing.as_ref()?;
        let legs = in_order(held);
        let same = |(known, now): (&(Contract, i64), &MarginLeg)| {
            known.0 == now.contract && known.1 == now.quantity
        };
        let as_paired = pairing.legs.len() == legs.len()
            && pairing.underlying == held.underlying
            && pairing.legs.iter().zip(&legs).all(same);
        let sold_below = |l: &MarginLeg| {
            l.quantity < 0 && l.contract.kind == Kind::Call && l.contract.strike < basis.spot
        };
        let promised = held.underlying > 0 && legs.iter().any(sold_below);
        let counts = as_paired && !promised;
        counts.then(|| counted(&legs, held.underlying, &pairing.groups, basis).takes())
    }

    fn add(&mut self, what: String, amount: Money) {
        self.total += amount;
        self.parts.push(Part { what, amount });
    }
}

/// The requirement of everything held in one underlying, by the rules of its product or of the
/// account.
pub fn requirement(held: &MarginHolding, basis: &MarginBasis) -> Requirement {
    let found = match (basis.class, basis.rules.kind) {
        (MarginClass::Scan(rates), _) => scanned(held, basis, &rates),
        (_, AccountKind::Portfolio) => swept(held, basis),
        _ => return paired(held, basis),
    };
    // What cannot be re-valued is margined by its strategy, which is never too little.
    found.unwrap_or_else(|_| by_strategy(held, basis))
}

/// What everything held would take of buying power, each series and the underlying taken alone.
pub fn one_by_one(held: &MarginHolding, basis: &MarginBasis) -> Money {
    let options = held.options.iter().map(|l| MarginHolding {
        options: vec![l.clone()],
        underlying: 0,
    });
    let own = MarginHolding {
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
fn by_strategy(held: &MarginHolding, basis: &MarginBasis) -> Requirement {
    Requirement {
        pairing: None,
        ..paired(held, basis)
    }
}

/// As [`by_strategy`], with the pairing that was found kept beside it.
fn paired(held: &MarginHolding, basis: &MarginBasis) -> Requirement {
    let legs = in_order(held);
    let groups = grouped(&legs, held.underlying, basis);
    let found = counted(&legs, held.underlying, &groups, basis);
    // Where nothing is held there is nothing to remember.
    let any = !legs.is_empty() || held.underlying != 0;
    let pairing = any.then(|| Pairing {
        legs: legs.into_iter().map(|l| (l.contract, l.quantity)).collect(),
        underlying: held.underlying,
        groups,
    });
    Requirement {
        pairing: pairing.map(Arc::new),
        ..found
    }
}

/// Positions, and which of their contracts stand together.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Pairing {
    /// In the order that the members of the groups are counted in.
    legs: Vec<(Contract, i64)>,
    /// Shares or futures, signed.
    underlying: i64,
    /// How often each group stands.
    groups: BTreeMap<Group, i64>,
}

/// What a pairing needs in exact money.
fn counted(
    legs: &[MarginLeg],
    underlying: i64,
    groups: &BTreeMap<Group, i64>,
    basis: &MarginBasis,
) -> Requirement {
    let mut out = Requirement::default();
    let count = underlying.abs();
    match basis.kind {
        UnderlyingKind::Future if count > 0 => out.add(
            format!("{count} × the future"),
            basis.spot.share(FUTURE).times(count * basis.multiplier),
        ),
        UnderlyingKind::Future => {}
        _ if basis.rules.kind == AccountKind::Cash && underlying > 0 => {}
        _ => {
            out.collateral = basis.spot.times(underlying);
            if count > 0 {
                out.add(
                    format!("{count} shares, half their value"),
                    basis.spot.half().times(count),
                );
            }
        }
    }
    for (group, times) in groups {
        let beyond = group.promised_away(legs, basis);
        if out.collateral > Money::ZERO {
            out.collateral -= beyond.times(times * basis.lot());
        }
        let Some((what, per_unit)) = group.needs(legs, basis) else {
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
fn in_order(held: &MarginHolding) -> Vec<MarginLeg> {
    let mut legs = held.options.clone();
    legs.sort_by_key(|l| (l.ends, l.contract.kind == Kind::Put, l.contract.strike));
    legs
}

/// Option legs as often as there are contracts of them, ascending, and the rule by which they stand
/// together.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
struct Group {
    members: Vec<usize>,
    rule: Rule,
}

/// Which contracts stand together, and how often.
fn grouped(legs: &[MarginLeg], underlying: i64, basis: &MarginBasis) -> BTreeMap<Group, i64> {
    let mut out = BTreeMap::new();
    if legs.iter().all(|l| l.quantity > 0) {
        return out;
    }
    let option = |l: &MarginLeg| RegimeLeg {
        quantity: l.quantity,
        // Only the order of the moments counts.
        kind: RegimeKind::Option {
            kind: l.contract.kind,
            strike: l.contract.strike.to_f64(),
            time: l.ends.millis().max(0) as f64,
            vol: None,
        },
        price: l.mark.to_f64().max(0.0),
    };
    let shares = shares_of(basis);
    let rules = Strategy {
        naked: shares.naked,
        minimum: shares.minimum,
        stock_initial: 0.0,
        puts_secured: shares.puts_secured,
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
                            rule: g.rule,
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
                        rule: if some[i].quantity > 0 {
                            Rule::Bought
                        } else {
                            Rule::Uncovered
                        },
                        members: vec![first + i],
                    },
                    some[i].quantity.abs(),
                )
            })),
        }
    }
    out
}

impl Group {
    fn all<'a>(&self, legs: &'a [MarginLeg]) -> Vec<&'a MarginLeg> {
        self.members.iter().map(|i| &legs[*i]).collect()
    }

    /// In words, and what it needs per unit; nothing where nothing in it is sold.
    fn needs(&self, legs: &[MarginLeg], basis: &MarginBasis) -> Option<(String, Price)> {
        let all = self.all(legs);
        let (shorts, longs): (Vec<&MarginLeg>, Vec<&MarginLeg>) =
            all.iter().partition(|l| l.quantity < 0);
        let (sold, shares) = (labels(&shorts), shares_of(basis));
        let what = if basis.kind == UnderlyingKind::Future {
            "future"
        } else {
            "shares"
        };
        let first = shorts.first().map(|l| l.sold());
        Some(match (self.rule, first) {
            (Rule::Bought, _) | (_, None) => return None,
            (Rule::CoveredCall, _) => (format!("{sold} on the {what}"), Price::ZERO),
            (Rule::CoveredPut, Some(put)) => (
                format!("{sold} on the {what}"),
                in_the_money(put, basis.spot),
            ),
            (Rule::WholeStrike, Some(put)) => (format!("{sold}, its whole strike"), put.strike),
            (Rule::Uncovered, Some(one)) => (
                format!("{sold} uncovered"),
                uncovered(one, basis.spot, shares),
            ),
            (Rule::BothSides, Some(one)) => {
                let other = shorts.last().map_or(one, |l| l.sold());
                (
                    format!("{sold}, sold on both sides"),
                    both_sides(one, other, basis.spot, shares),
                )
            }
            (Rule::Limited, _) => (
                format!("{sold} against {}", labels(&longs)),
                largest_loss(&all),
            ),
        })
    }

    /// What shares are worth above the strike at which they are promised away, per unit: the
    /// account will never have it.
    fn promised_away(&self, legs: &[MarginLeg], basis: &MarginBasis) -> Price {
        match (self.rule, self.all(legs).first()) {
            (Rule::CoveredCall, Some(call)) if basis.kind != UnderlyingKind::Future => {
                (basis.spot - call.contract.strike).max(Price::ZERO)
            }
            _ => Price::ZERO,
        }
    }
}

/// What a leg is called in a message, as "110 call".
fn label(leg: &MarginLeg) -> String {
    leg.contract.label()
}

/// "110 call and 90 put".
fn labels(legs: &[&MarginLeg]) -> String {
    legs.iter()
        .map(|l| label(l))
        .collect::<Vec<_>>()
        .join(" and ")
}

/// Of a future's price, where it is not scanned.
const FUTURE: f64 = 0.15;

/// Of the price, for an uncovered option, and the least. A scanned product that cannot be re-valued
/// counts like a broad index.
fn shares_of(basis: &MarginBasis) -> Shares {
    let naked = match basis.class {
        MarginClass::Equity => 0.20,
        MarginClass::BroadIndex | MarginClass::LargeIndex | MarginClass::Scan(_) => 0.15,
    };
    Shares {
        naked,
        minimum: 0.10,
        puts_secured: basis.rules.puts_secured(),
    }
}

/// −min over prices of the payoff of one contract each at expiration, gross of premiums and per
/// unit; zero if it never loses. The legs must not be net short calls.
fn largest_loss(legs: &[&MarginLeg]) -> Price {
    let payoff = |s: Price| -> Price {
        let each = legs
            .iter()
            .map(|l| l.contract.exercise_value(s) * l.quantity.signum());
        each.fold(Price::ZERO, |sum, p| sum + p)
    };
    let kinks = legs.iter().map(|l| l.contract.strike).chain([Price::ZERO]);
    kinks
        .map(|k| Price::ZERO - payoff(k))
        .max()
        .unwrap_or(Price::ZERO)
        .max(Price::ZERO)
}
