//! What each item makes and loses, worked out once for a moment: switching one in or out adds up
//! what is known.

use std::collections::HashMap;
use std::hash::{DefaultHasher, Hash, Hasher};
use std::sync::{Arc, Mutex, PoisonError};

use desk::book::{BookPosition, IndexGreeks, OwnGreeks, STRESS_MOVES, Scenario, VolAnswer, weight};
use desk::{Accuracy, Moment, Money, Price, Proposal, Received, Shape};
use market::Quoter;
use rayon::prelude::*;

use super::{BetaOf, Item, Lens, Source};
use crate::money::evaluate_alone;
use crate::sight::at_risk;
use crate::state::State;

/// What is wanted of each item.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct LookWanted {
    /// Moves of the index in the table, as fractions.
    pub moves: Vec<f64>,
    /// Days on at which the table stands.
    pub days: f64,
    /// Moves along the lines.
    pub along: Vec<f64>,
    /// Days on of each line.
    pub lines: Vec<f64>,
    /// Moves across the map.
    pub across: Vec<f64>,
    /// Days of the map.
    pub ahead: Vec<f64>,
}

/// What an item makes.
#[derive(Debug, Clone, Default)]
pub struct Worked {
    /// In the terms of its own name.
    pub greeks: OwnGreeks,
    /// In shares of the index.
    pub index: IndexGreeks,
    /// Vega weighted by √(30/days) of each leg and by the beta: points of the index's 30-day
    /// volatility, roughly.
    pub weighted_vega: f64,
    /// Profit at each move of the table.
    pub moves: Vec<f64>,
    /// Delta in index shares after each of them.
    pub leans: Vec<f64>,
    /// Profit along each line.
    pub lines: Vec<Vec<f64>>,
    /// Profit over the map: for each day, at each move.
    pub map: Vec<Vec<f64>>,
    /// Capital at risk: the most it can lose where that has a limit, otherwise what it ties up.
    pub risk: Money,
    /// Why it is in no figure.
    pub unvalued: Option<String>,
}

/// An item with its beta and what it makes.
#[derive(Debug, Clone)]
pub struct ItemLooked {
    /// The item of the book that was looked at.
    pub item: Item,
    /// Its beta against the index.
    pub beta: BetaOf,
    /// What it makes.
    pub worked: Arc<Worked>,
}

/// What was worked out for items; every answer is a function of what stands in its key.
#[derive(Default)]
pub struct BookMemo(Mutex<HashMap<u64, Arc<Worked>>>);

/// So many answers are remembered: a few looks at a large book.
const REMEMBERED: usize = 1_000;

/// Half of the small move around a price that a delta is the slope over, as a fraction of it.
const SLOPE: f64 = 1e-3;

fn bits(hasher: &mut DefaultHasher, numbers: &[f64]) {
    numbers.len().hash(hasher);
    for n in numbers {
        n.to_bits().hash(hasher);
    }
}

fn key(
    item: &Item,
    (beta, index): (f64, f64),
    lens: &Lens,
    wanted: &LookWanted,
    (at, version): (Moment, u64),
) -> u64 {
    let mut h = DefaultHasher::new();
    at.millis().hash(&mut h);
    // What was paid changes with the account, though the moment and the legs stay.
    version.hash(&mut h);
    item.symbol.hash(&mut h);
    for leg in item.holding.legs() {
        (&leg.instrument, leg.quantity).hash(&mut h);
    }
    // The cash of a campaign takes part in what it can lose.
    if let Source::Campaign(id) = item.source {
        id.hash(&mut h);
    }
    let (way, by) = match lens.vol {
        VolAnswer::Stays => (0, 0.0),
        VolAnswer::Points(by) => (1, by),
        VolAnswer::PerMove(by) => (2, by),
    };
    way.hash(&mut h);
    let apart = lens.apart(&item.symbol, item.sector.as_deref());
    bits(&mut h, &[beta, index, by, apart, wanted.days]);
    for list in [
        &wanted.moves,
        &wanted.along,
        &wanted.lines,
        &wanted.across,
        &wanted.ahead,
    ] {
        bits(&mut h, list);
    }
    h.finish()
}

impl BookMemo {
    fn get(&self, key: u64) -> Option<Arc<Worked>> {
        let known = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        known.get(&key).cloned()
    }

    fn keep(&self, found: &[(u64, Arc<Worked>)]) {
        let mut known = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if known.len() + found.len() > REMEMBERED {
            known.clear();
        }
        known.extend(found.iter().map(|(k, w)| (*k, Arc::clone(w))));
    }
}

/// The volatility that a move left, where the price moves a little farther.
fn held_vol(vol: VolAnswer, own: f64, there: f64) -> VolAnswer {
    match vol {
        VolAnswer::PerMove(k) if there != 0.0 => VolAnswer::PerMove(k * own / there),
        VolAnswer::PerMove(_) => VolAnswer::Stays,
        other => other,
    }
}

/// Every scenario that is wanted, in one list.
fn scenarios(beta: f64, apart: f64, lens: &Lens, wanted: &LookWanted) -> Vec<Scenario> {
    let own = |index: f64| beta * index + apart;
    let at = |index: &f64, days: f64| Scenario {
        own: own(*index),
        days,
        vol: lens.vol,
    };
    let mut out: Vec<Scenario> = wanted.moves.iter().map(|m| at(m, wanted.days)).collect();
    for sign in [-1.0, 1.0] {
        out.extend(wanted.moves.iter().map(|m| {
            let own = own(*m);
            let there = (1.0 + own) * (1.0 + sign * SLOPE) - 1.0;
            Scenario {
                own: there,
                days: wanted.days,
                vol: held_vol(lens.vol, own, there),
            }
        }));
    }
    for days in &wanted.lines {
        out.extend(wanted.along.iter().map(|m| at(m, *days)));
    }
    for days in &wanted.ahead {
        out.extend(wanted.across.iter().map(|m| at(m, *days)));
    }
    out
}

/// What does not need the account.
fn priced(
    position: &BookPosition<'_>,
    item: &Item,
    (beta, index): (f64, f64),
    lens: &Lens,
    wanted: &LookWanted,
    at: Moment,
) -> Result<Worked, desk::book::LegError> {
    let apart = lens.apart(&item.symbol, item.sector.as_deref());
    let all = scenarios(beta, apart, lens, wanted);
    let profits = position.profits(&all, Accuracy::Interactive)?;
    let legs = position.leg_greeks(Accuracy::Interactive)?;
    let greeks = legs.iter().fold(OwnGreeks::default(), |s, g| s.plus(*g));
    let weighted_vega = legs.iter().zip(item.holding.legs()).map(|(g, leg)| {
        let days = leg
            .instrument
            .option()
            .map_or(30.0, |c| at.days_until(c.expiry).max(1) as f64);
        g.vega * (30.0 / days).sqrt() * beta
    });
    let n = wanted.moves.len();
    let (moves, rest) = profits.split_at(n);
    let (below, rest) = rest.split_at(n);
    let (above, mut rest) = rest.split_at(n);
    let leans = (0..n).map(|i| {
        let m = wanted.moves[i];
        let there = item.spot * (1.0 + beta * m + apart);
        let then = index * (1.0 + m);
        if there <= 0.0 || then <= 0.0 {
            return 0.0;
        }
        let delta = (above[i] - below[i]) / (2.0 * SLOPE * there);
        delta * weight(beta, there, then)
    });
    let leans = leans.collect();
    let mut cut = |rows: usize, each: usize| -> Vec<Vec<f64>> {
        (0..rows)
            .map(|_| {
                let (row, more) = rest.split_at(each);
                rest = more;
                row.to_vec()
            })
            .collect()
    };
    let lines = cut(wanted.lines.len(), wanted.along.len());
    let map = cut(wanted.ahead.len(), wanted.across.len());
    Ok(Worked {
        index: IndexGreeks::of(greeks.delta, greeks.gamma, weight(beta, item.spot, index)),
        greeks,
        weighted_vega: weighted_vega.sum(),
        moves: moves.to_vec(),
        leans,
        lines,
        map,
        risk: Money::ZERO,
        unvalued: None,
    })
}

/// Capital at risk in what is no campaign yet, entered at the middle.
fn risk_of_draft(state: &State, quoter: &mut Quoter, item: &Item) -> Money {
    let Some(u) = state.world.underlying(&item.symbol) else {
        return Money::ZERO;
    };
    let marks: Vec<Price> = item.markets.iter().map(|m| m.quote.mark()).collect();
    let received = Received::at_prices(&item.holding, u, &marks);
    let limited = |shape: &Shape| shape.least.limited().map(|l| (-l).max(Money::ZERO));
    if item.holding.is_one_expiration() || item.holding.options().next().is_none() {
        let shape = Shape::of(&item.holding, u, received);
        if let Some(risk) = limited(&shape) {
            return risk;
        }
    }
    let proposal = Proposal {
        structure: item.holding.clone(),
        entry: desk::EntryPrice::Middle,
        realised: Money::ZERO,
        range: None,
        closing: false,
    };
    evaluate_alone(state, quoter, &item.symbol, &proposal)
        .map(|e| limited(&e.horizon.shape).unwrap_or(e.money.tied_up))
        .unwrap_or_default()
}

fn risk(state: &State, quoter: &mut Quoter, item: &Item) -> Money {
    match item.source {
        Source::Campaign(id) => state
            .account
            .campaign(id)
            .map(|c| at_risk(state, quoter, c))
            .unwrap_or_default(),
        // What closes something held risks nothing of its own.
        Source::Order(id)
            if state
                .order(id)
                .is_ok_and(|o| o.request.purpose.campaign().is_some()) =>
        {
            Money::ZERO
        }
        _ => risk_of_draft(state, quoter, item),
    }
}

/// Works out what every item makes; `index` is the price of the index.
pub fn worked(
    state: &State,
    quoter: &mut Quoter,
    memo: &BookMemo,
    items: Vec<Item>,
    (lens, index): (&Lens, f64),
    wanted: &LookWanted,
) -> Vec<ItemLooked> {
    let (world, at) = (&state.world, state.clock.now);
    let mut betas: HashMap<String, BetaOf> = HashMap::new();
    for item in &items {
        if !betas.contains_key(&item.symbol) {
            let beta = lens.betas.of(world, at, &item.symbol, &lens.index);
            betas.insert(item.symbol.clone(), beta);
        }
    }
    let keyed: Vec<(u64, BetaOf, Item)> = items
        .into_iter()
        .map(|item| {
            let beta = betas[&item.symbol];
            let when = (at, state.version);
            (
                key(&item, (beta.used, index), lens, wanted, when),
                beta,
                item,
            )
        })
        .collect();
    let known: Vec<Option<Arc<Worked>>> = keyed.iter().map(|(k, ..)| memo.get(*k)).collect();
    let price = |(i, (_, beta, item)): (usize, &(u64, BetaOf, Item))| {
        let u = known[i]
            .is_none()
            .then(|| world.underlying(&item.symbol))??;
        let position = item.position(u, at);
        Some(
            priced(&position, item, (beta.used, index), lens, wanted, at).unwrap_or_else(|e| {
                Worked {
                    unvalued: Some(format!("{} {}: {e}", item.symbol, item.name)),
                    ..empty(wanted)
                }
            }),
        )
    };
    // What an item makes is a function of the moment, whatever thread works it out.
    let priced: Vec<Option<Worked>> = keyed.par_iter().enumerate().map(price).collect();
    let mut fresh = Vec::new();
    let mut out = Vec::with_capacity(keyed.len());
    for (((key, beta, item), known), priced) in keyed.into_iter().zip(known).zip(priced) {
        let worked = known.unwrap_or_else(|| {
            let mut worked = priced.unwrap_or_else(|| empty(wanted));
            worked.risk = risk(state, quoter, &item);
            let worked = Arc::new(worked);
            fresh.push((key, Arc::clone(&worked)));
            worked
        });
        out.push(ItemLooked { item, beta, worked });
    }
    memo.keep(&fresh);
    out
}

/// Nothing, in the shape of what is wanted.
fn empty(wanted: &LookWanted) -> Worked {
    Worked {
        moves: vec![0.0; wanted.moves.len()],
        leans: vec![0.0; wanted.moves.len()],
        lines: vec![vec![0.0; wanted.along.len()]; wanted.lines.len()],
        map: vec![vec![0.0; wanted.across.len()]; wanted.ahead.len()],
        ..Worked::default()
    }
}

/// Profit of a holding at the moves of the standard stress, added to `sum`.
///
/// # Errors
/// A leg that its model refuses.
pub fn stress_moves(
    position: &BookPosition<'_>,
    beta: f64,
    sum: &mut [f64],
) -> Result<(), desk::book::LegError> {
    let all = STRESS_MOVES.map(|m| Scenario {
        own: beta * m,
        days: 0.0,
        vol: desk::book::STRESS_ANSWER,
    });
    let profits = position.profits(&all, Accuracy::Interactive)?;
    for (sum, profit) in sum.iter_mut().zip(profits) {
        *sum += profit;
    }
    Ok(())
}
