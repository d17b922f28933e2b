//! The legal groups of a case: every set of at most four contracts whose own requirement is less
//! than that of any way to take it apart.
//!
//! A group's requirement is the greatest loss of its gross payoff at expiration, if its longs
//! expire no earlier than its shorts and the loss has a bound. Two groups of which one is the sum
//! of the other's parts never need to be kept both, so what a group can be taken apart into is
//! remembered by size: the search for the least total then has hundreds of choices where there are
//! a hundred thousand sets.

use quant::Kind;
use rayon::prelude::*;

use super::RegimeCase;
use super::rule::Strategy;
use super::rule::{Rule, Shares, Sold, both_sides, in_the_money, uncovered};

/// A group that may be used any number of times.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Column {
    /// Places of its option legs in the case, ascending; one of them as often as it has contracts
    /// of it.
    pub legs: Vec<usize>,
    /// The stock leg of which a lot of shares stands with it.
    pub stock: Option<usize>,
    /// By which rule they stand together.
    pub rule: Rule,
    /// What it needs beside the shares.
    pub requirement: f64,
}

/// One option leg.
struct Contracts {
    place: usize,
    short: bool,
    call: bool,
    sold: Sold<f64>,
    time: f64,
    /// Contracts of it that a group can hold.
    most: usize,
    /// What one contract needs alone.
    alone: f64,
    /// By which rule.
    rule: Rule,
    /// Payoff of one contract, signed, at each corner.
    payoff: Vec<f64>,
}

struct Best {
    n: usize,
    two: Vec<f64>,
    three: Vec<f64>,
}

impl Best {
    fn two(&self, a: usize, b: usize) -> f64 {
        self.two[a * self.n + b]
    }

    fn three(&self, a: usize, b: usize, c: usize) -> f64 {
        self.three[(a * self.n + b) * self.n + c]
    }
}

/// What counts as less, of what is compared.
const LESS: f64 = 1e-12;

/// All groups worth choosing, single contracts among them.
pub(super) fn columns(case: &RegimeCase, rules: &Strategy) -> Vec<Column> {
    let shares = Shares {
        naked: rules.naked,
        minimum: rules.minimum,
        puts_secured: rules.puts_secured,
    };
    let all = contracts(case, rules, shares);
    let n = all.len();
    let mut best = Best {
        n,
        two: vec![f64::INFINITY; n * n],
        three: vec![f64::INFINITY; n * n * n],
    };
    let mut out: Vec<Column> = all.iter().map(single).collect();
    let less = LESS * case.price * case.multiplier;
    // What a set needs together, where that is less than apart.
    let together = |set: &[usize], apart: f64| -> Option<Column> {
        let mut own = group(&all, set, apart / case.multiplier) * case.multiplier;
        let mut rule = Rule::Limited;
        if let [a, b] = set
            && let Some(sides) = strangle(&all[*a], &all[*b], case.price, shares)
            && sides * case.multiplier < own
        {
            (own, rule) = (sides * case.multiplier, Rule::BothSides);
        }
        (own < apart - less).then(|| Column {
            legs: set.iter().map(|i| all[*i].place).collect(),
            stock: None,
            rule,
            requirement: own,
        })
    };
    let mut keep = |set: &[usize], apart: f64| {
        let found = together(set, apart);
        let least = found.as_ref().map_or(apart, |c| c.requirement);
        out.extend(found);
        least
    };
    let alone = |i: usize| all[i].alone;
    // A set in ascending order has a leg so often in a row.
    let fits = |set: &[usize]| {
        set.chunk_by(|a, b| a == b)
            .all(|same| same.len() <= all[same[0]].most)
    };
    for a in 0..n {
        for b in a..n {
            if fits(&[a, b]) {
                best.two[a * n + b] = keep(&[a, b], alone(a) + alone(b));
            }
        }
    }
    for a in 0..n {
        for b in a..n {
            for c in b..n {
                if fits(&[a, b, c]) {
                    let apart = (alone(a) + best.two(b, c))
                        .min(alone(b) + best.two(a, c))
                        .min(alone(c) + best.two(a, b));
                    best.three[(a * n + b) * n + c] = keep(&[a, b, c], apart);
                }
            }
        }
    }
    let (best, first_two) = (&best, |a: usize| (a..n).map(move |b| (a, b)));
    // Whether four can be legal at all is seen from their two halves.
    let halves: Vec<Half> = (0..n * n)
        .map(|i| Half::of(&all[i / n]).with(&Half::of(&all[i % n])))
        .collect();
    let pairs: Vec<(usize, usize)> = (0..n).flat_map(first_two).collect();
    let fours = pairs.par_iter().flat_map_iter(|&(a, b)| {
        let rest = (b..n).flat_map(move |c| (c..n).map(move |d| [a, b, c, d]));
        rest.filter_map(|set| {
            let [a, b, c, d] = set;
            if !halves[a * n + b].with(&halves[c * n + d]).is_legal() {
                return None;
            }
            let pairs = (best.two(a, b) + best.two(c, d))
                .min(best.two(a, c) + best.two(b, d))
                .min(best.two(a, d) + best.two(b, c));
            let single = (alone(a) + best.three(b, c, d)).min(alone(b) + best.three(a, c, d));
            let apart = pairs
                .min(single)
                .min(alone(c) + best.three(a, b, d))
                .min(alone(d) + best.three(a, b, c));
            if apart > 0.0 && fits(&set) {
                together(&set, apart)
            } else {
                None
            }
        })
    });
    out.extend(fours.collect::<Vec<_>>());
    out.extend(covered(case, &all));
    out
}

/// Contracts that stand for themselves.
fn single(c: &Contracts) -> Column {
    Column {
        legs: vec![c.place],
        stock: None,
        rule: c.rule,
        requirement: c.alone,
    }
}

fn contracts(case: &RegimeCase, rules: &Strategy, shares: Shares) -> Vec<Contracts> {
    let strikes = case.legs.iter().filter_map(|l| l.option().map(|o| o.1));
    let mut corners: Vec<f64> = std::iter::once(0.0).chain(strikes).collect();
    // From the ends inward: there the losses are.
    corners.sort_by(|a, b| (b - case.price).abs().total_cmp(&(a - case.price).abs()));
    corners.dedup();
    let each = case.legs.iter().enumerate().filter_map(|(place, l)| {
        let (kind, strike, time) = l.option()?;
        let sign = l.quantity.signum() as f64;
        let payoff: Vec<f64> = corners
            .iter()
            .map(|s| sign * kind.intrinsic(*s, strike))
            .collect();
        let call = kind == Kind::Call;
        let sold = Sold {
            kind,
            strike,
            premium: l.price,
        };
        let naked = case.multiplier * uncovered(sold, case.price, shares);
        let whole = case.multiplier * strike;
        // A sold put can lose its strike and no more.
        let (alone, rule) = if l.quantity > 0 {
            (0.0, Rule::Bought)
        } else if !call && (rules.puts_secured || whole < naked) {
            (whole, Rule::WholeStrike)
        } else {
            (naked, Rule::Uncovered)
        };
        Some(Contracts {
            place,
            short: l.quantity < 0,
            sold,
            call,
            time,
            most: l.quantity.unsigned_abs().min(4) as usize,
            alone,
            rule,
            payoff,
        })
    });
    each.collect()
}

/// What decides whether contracts may stand together: calls sold beyond those bought, the last end
/// of what is sold, the first of what is bought.
#[derive(Clone, Copy)]
struct Half {
    calls: i32,
    last_short: f64,
    first_long: f64,
}

impl Half {
    fn of(c: &Contracts) -> Half {
        let calls = if c.call { 1 } else { 0 };
        if c.short {
            Half {
                calls,
                last_short: c.time,
                first_long: f64::INFINITY,
            }
        } else {
            Half {
                calls: -calls,
                last_short: f64::NEG_INFINITY,
                first_long: c.time,
            }
        }
    }

    fn with(&self, o: &Half) -> Half {
        Half {
            calls: self.calls + o.calls,
            last_short: if o.last_short > self.last_short {
                o.last_short
            } else {
                self.last_short
            },
            first_long: if o.first_long < self.first_long {
                o.first_long
            } else {
                self.first_long
            },
        }
    }

    /// Something is sold, its calls are covered, and what covers it ends no earlier.
    fn is_legal(&self) -> bool {
        self.calls <= 0 && self.first_long >= self.last_short && self.last_short > f64::NEG_INFINITY
    }
}

/// Greatest loss of the gross payoff per unit; without bound where it is no legal group, or where
/// it is `enough` or more.
fn group(all: &[Contracts], set: &[usize], enough: f64) -> f64 {
    let together = set
        .iter()
        .map(|i| Half::of(&all[*i]))
        .reduce(|a, b| a.with(&b));
    if !together.is_some_and(|t| t.is_legal()) {
        return f64::INFINITY;
    }
    let mut worst = 0.0_f64;
    for k in 0..all[set[0]].payoff.len() {
        let loss = -set.iter().map(|i| all[*i].payoff[k]).sum::<f64>();
        worst = worst.max(loss);
        if worst >= enough {
            return f64::INFINITY;
        }
    }
    worst
}

/// A sold call and a sold put of any expirations, per unit.
fn strangle(a: &Contracts, b: &Contracts, spot: f64, shares: Shares) -> Option<f64> {
    (a.short && b.short && a.call != b.call).then(|| both_sides(a.sold, b.sold, spot, shares))
}

/// A sold call on a lot of shares needs nothing more, a sold put on a lot of sold shares what it is
/// in the money.
fn covered<'a>(case: &'a RegimeCase, all: &'a [Contracts]) -> impl Iterator<Item = Column> + 'a {
    let lots = case.legs.iter().enumerate().filter(|(_, l)| {
        l.kind == super::RegimeKind::Stock && l.quantity.abs() as f64 >= case.multiplier
    });
    lots.flat_map(move |(stock, shares)| {
        all.iter()
            .filter(move |c| c.short && c.call == (shares.quantity > 0))
            .map(move |c| {
                let (rule, requirement) = if c.call {
                    (Rule::CoveredCall, 0.0)
                } else {
                    let inside = in_the_money(c.sold, case.price);
                    (Rule::CoveredPut, inside * case.multiplier)
                };
                Column {
                    legs: vec![c.place],
                    stock: Some(stock),
                    rule,
                    requirement,
                }
            })
    })
}
