//! Strategy rules: the least total over all legal pairings, by integer programming over the groups
//! worth choosing.
//!
//! An uncovered option needs its premium and a share of the underlying's price less what it is out
//! of the money, at least its premium and a smaller share of the price (a call) or of the strike (a
//! put). Options bought are paid in full and need nothing. Shares need a share of their value. The
//! solver (branch and bound over the simplex method) proves the least total; what it gives is
//! rounded to whole groups and counted anew.

use microlp::{
    ComparisonOp, OptimizationDirection, Problem, SolutionStatus, SolveOptions, Variable,
};

use super::columns::{Column, columns};
use super::rule::{Rule, Strategy};
use super::{RegimeCase, RegimeError, RegimeKind};

/// A group of contracts and shares with its own requirement.
#[derive(Debug, Clone, PartialEq)]
pub struct Group {
    /// Leg of the case, and signed contracts or shares of it.
    pub legs: Vec<(usize, i64)>,
    /// By which rule they stand together; shares alone are bought.
    pub rule: Rule,
    /// What it needs.
    pub requirement: f64,
}

/// Different option legs that are tried in all combinations.
pub const MOST_LEGS: usize = 60;
/// Contracts of one leg.
const MOST_CONTRACTS: i64 = 100_000;
/// Nodes of the search; the cases of practice need a handful.
const MOST_NODES: u64 = 20_000;

/// The least requirement and the groups that have it; each contract and share is in one of them.
///
/// # Errors
/// A case outside of what the regime defines, or one too large to be proved the least.
pub fn strategy(case: &RegimeCase, rules: &Strategy) -> Result<(f64, Vec<Group>), RegimeError> {
    case.check()?;
    if case.legs.iter().any(|l| l.kind == RegimeKind::Future) {
        return Err(RegimeError::Undefined {
            kind: "future",
            regime: "strategy",
        });
    }
    if case.multiplier.fract() != 0.0 && case.legs.iter().any(|l| l.kind == RegimeKind::Stock) {
        return Err(RegimeError::Number {
            what: "multiplier",
            value: case.multiplier,
        });
    }
    for (what, value) in [
        ("naked", rules.naked),
        ("minimum", rules.minimum),
        ("stock_initial", rules.stock_initial),
    ] {
        if !(value >= 0.0 && value.is_finite()) {
            return Err(RegimeError::Number { what, value });
        }
    }
    let options = case.legs.iter().filter(|l| l.option().is_some()).count();
    if options > MOST_LEGS
        || case
            .legs
            .iter()
            .any(|l| l.option().is_some() && l.quantity.abs() > MOST_CONTRACTS)
    {
        return Err(RegimeError::Search(format!(
            "at most {MOST_LEGS} different option legs of {MOST_CONTRACTS} contracts are tried; \
             there are {options}"
        )));
    }
    let all = columns(case, rules);
    let times = least(case, &all)?;
    let groups = grouped(case, rules, &all, times);
    Ok((groups.iter().map(|g| g.requirement).sum(), groups))
}

/// How often each column is used at the least total.
fn least(case: &RegimeCase, all: &[Column]) -> Result<Vec<i64>, RegimeError> {
    let scale = all.iter().map(|c| c.requirement).fold(0.0, f64::max);
    if scale == 0.0 {
        // Nothing needs anything: each contract stands alone.
        return Ok(all
            .iter()
            .map(|c| {
                if c.legs.len() == 1 && c.stock.is_none() {
                    case.legs[c.legs[0]].quantity.abs()
                } else {
                    0
                }
            })
            .collect());
    }
    if all.iter().all(|c| c.legs.len() == 1 && c.stock.is_none()) {
        return Ok(all
            .iter()
            .map(|c| case.legs[c.legs[0]].quantity.abs())
            .collect());
    }
    let mut problem = Problem::new(OptimizationDirection::Minimize);
    let lots = |stock: usize| (case.legs[stock].quantity.abs() as f64 / case.multiplier).floor();
    let uses = |c: &Column, leg: usize| c.legs.iter().filter(|l| **l == leg).count();
    let most = |c: &Column| -> f64 {
        let by_leg = c
            .legs
            .iter()
            .map(|leg| (case.legs[*leg].quantity.unsigned_abs() as usize / uses(c, *leg)) as f64);
        by_leg
            .chain(c.stock.map(lots))
            .fold(f64::INFINITY, f64::min)
    };
    let vars: Vec<Variable> = all
        .iter()
        .map(|c| problem.add_integer_var(c.requirement / scale, (0, most(c) as i32)))
        .collect();
    for (leg, l) in case.legs.iter().enumerate() {
        let (expr, whole): (Vec<(Variable, f64)>, f64) = if l.option().is_some() {
            let with = all
                .iter()
                .zip(&vars)
                .map(|(c, v)| (*v, uses(c, leg) as f64));
            (
                with.filter(|(_, n)| *n > 0.0).collect(),
                l.quantity.abs() as f64,
            )
        } else {
            (
                all.iter()
                    .zip(&vars)
                    .filter(|(c, _)| c.stock == Some(leg))
                    .map(|(_, v)| (*v, 1.0))
                    .collect(),
                lots(leg),
            )
        };
        if !expr.is_empty() {
            problem.add_constraint(
                expr.as_slice(),
                if l.option().is_some() {
                    ComparisonOp::Eq
                } else {
                    ComparisonOp::Le
                },
                whole,
            );
        }
    }
    let mut options = SolveOptions::default();
    options.node_limit = Some(MOST_NODES);
    let outcome = problem
        .solve_with(options)
        .map_err(|e| RegimeError::Search(e.to_string()))?;
    let solution = outcome
        .solution()
        .filter(|s| s.status() == SolutionStatus::Optimal);
    let solution =
        solution.ok_or_else(|| RegimeError::Search(format!("not within {MOST_NODES} nodes")))?;
    Ok(vars
        .iter()
        .map(|v| solution.var_value(*v).round() as i64)
        .collect())
}

/// The groups one by one, and what shares are left.
fn grouped(case: &RegimeCase, rules: &Strategy, all: &[Column], times: Vec<i64>) -> Vec<Group> {
    let value = |shares: i64| rules.stock_initial * case.price * shares.unsigned_abs() as f64;
    let lot = case.multiplier as i64;
    let mut left: Vec<i64> = case
        .legs
        .iter()
        .map(|l| {
            if l.kind == RegimeKind::Stock {
                l.quantity
            } else {
                0
            }
        })
        .collect();
    let mut out = Vec::new();
    for (column, times) in all.iter().zip(times) {
        let legs: Vec<(usize, i64)> = column
            .legs
            .chunk_by(|a, b| a == b)
            .map(|same| {
                (
                    same[0],
                    case.legs[same[0]].quantity.signum() * same.len() as i64,
                )
            })
            .collect();
        for _ in 0..times {
            let mut group = Group {
                legs: legs.clone(),
                rule: column.rule,
                requirement: column.requirement,
            };
            if let Some(stock) = column.stock {
                let shares = case.legs[stock].quantity.signum() * lot;
                left[stock] -= shares;
                group.legs.push((stock, shares));
                group.requirement += value(shares);
            }
            out.push(group);
        }
    }
    out.extend(
        left.into_iter()
            .enumerate()
            .filter(|(_, shares)| *shares != 0)
            .map(|(leg, shares)| Group {
                legs: vec![(leg, shares)],
                rule: Rule::Bought,
                requirement: value(shares),
            }),
    );
    out
}
