//! What could be done with the campaigns that are looked at: closed, halved, a side closed or rolled.

use std::collections::HashMap;

use desk::book::mend::{Prospect, Stance};
use desk::{
    EntryPrice, Holding, Instrument, Kind, Money, Price, Proposal, Received, Shape, Underlying,
};
use market::Quoter;
use plans::rework::{Listed, Part, Rework, change, rework};
use plans::{Candidate as ListedOption, Candidates};

use super::ground::{Ground, One, half, summed};
use super::{ItemLooked, Lens, MendAsked, Pick, Source};
use crate::money::evaluate_alone;
use crate::state::State;

/// How far a side of a campaign is rolled: strikes either way, expirations later.
const STRIKES: i64 = 8;
const LATER: i64 = 3;

/// A campaign that could be changed: what it would hold, and what that does.
pub(super) struct Changed {
    pub campaign: u64,
    pub symbol: String,
    pub then: Holding,
    pub words: String,
    pub cash: Money,
    /// What it would lose at the most needs the model or has no limit: what was paid for it then, and
    /// the capital at risk that its adding was counted with.
    pub unknown: Option<(Money, f64)>,
    /// It counts in the sector that is asked about.
    pub in_sector: bool,
}

/// Capital at risk of a campaign with other legs, in full: the most it can lose where that has a limit,
/// otherwise what it ties up.
pub(super) fn risk_in_full(
    state: &State,
    quoter: &mut Quoter,
    c: &Changed,
    paid: Money,
) -> Option<f64> {
    let proposal = Proposal {
        structure: c.then.clone(),
        entry: EntryPrice::Paid(paid),
        realised: Money::ZERO,
        range: None,
        closing: false,
    };
    let e = evaluate_alone(state, quoter, &c.symbol, &proposal).ok()?;
    let risk = match e.horizon.shape.least.limited() {
        Some(least) => -least,
        None => e.money.tied_up,
    };
    Some(risk.max(Money::ZERO).to_f64())
}

/// What is listed on an underlying around what is held of it.
fn listed_around(
    state: &State,
    quoter: &mut Quoter,
    ground: &Ground<'_>,
    held: &Holding,
) -> Option<Listed> {
    let (world, at) = (&state.world, state.clock.now);
    let all = world.expirations(&ground.u.symbol, at)?;
    let stands = |e: &desk::Expiration| {
        held.options()
            .any(|(c, _)| ground.u.expiry_moment(c) == e.moment())
    };
    let first = all.iter().position(stands)?;
    let last = all.iter().rposition(stands)?;
    let mut dates = Vec::new();
    for e in &all[first..(last + 1 + LATER as usize).min(all.len())] {
        let variance = world.total_variance(&ground.u.symbol, at, e.moment());
        let chain = quoter.chain(world, ground.u, e, at);
        let listed = chain.into_iter().map(|(contract, l)| ListedOption {
            contract,
            delta: l.delta,
        });
        dates.push(Candidates {
            spot: ground.spot,
            deviation: variance.unwrap_or(0.0).sqrt(),
            listed: listed.collect(),
        });
    }
    Some(Listed::new(ground.spot, dates))
}

/// Everything that can be done to a campaign here.
fn moves_of(held: &Holding) -> Vec<(Rework, String)> {
    let has = |kind| held.options().any(|(c, _)| c.kind == kind);
    let two_sided = has(Kind::Call) && has(Kind::Put);
    let mut out = Vec::new();
    let packages = held.packages();
    if packages >= 2 {
        out.push((Rework::More(-(packages / 2)), "take half off".to_owned()));
    }
    let sides: Vec<Part> = if two_sided {
        vec![Part::Calls, Part::Puts]
    } else {
        vec![Part::All]
    };
    for side in &sides {
        if two_sided {
            let step = Rework::Close(side.clone());
            out.push((step.clone(), step.to_string()));
        }
        for expirations in 0..=LATER {
            for strikes in -STRIKES..=STRIKES {
                if (expirations, strikes) == (0, 0) {
                    continue;
                }
                let step = Rework::Roll {
                    part: side.clone(),
                    expirations,
                    strikes,
                };
                out.push((step.clone(), step.to_string()));
            }
        }
    }
    out
}

/// The most that a campaign could lose with other legs; nothing where it has no limit or the model
/// is needed.
fn risk_then(u: &Underlying, then: &Holding, received: Received) -> Option<f64> {
    let plain = then.is_one_expiration() || then.options().next().is_none();
    if then.is_empty() || !plain {
        return then.is_empty().then_some(0.0);
    }
    let least = Shape::of(then, u, received).least.limited()?;
    Some((-least).max(Money::ZERO).to_f64())
}

/// What one of each instrument of some orders adds to the book, where that can be known.
fn ones_of(
    state: &State,
    quoter: &mut Quoter,
    ground: &Ground<'_>,
    orders: &[Holding],
) -> HashMap<Instrument, Option<One>> {
    let mut ones: HashMap<Instrument, Option<One>> = HashMap::new();
    for leg in orders.iter().flat_map(|o| o.legs()) {
        ones.entry(leg.instrument.clone()).or_insert_with(|| {
            let market = quoter.leg_any(&state.world, &leg.instrument, state.clock.now)?;
            Some(One {
                adds: ground.one(state, &leg.instrument, &market)?,
                market,
            })
        });
    }
    ones
}

/// What an order brings at the marks of its legs: in cash, and as what its profit counts from.
fn brought(order: &Holding, u: &Underlying, marks: &[Price]) -> (Money, Received) {
    let comes = Received::at_prices(order, u, marks);
    let legs = order.legs().iter().zip(marks);
    let futures = legs.filter(|(leg, _)| u.is_margined(&leg.instrument));
    let unpaid: Money = futures
        .map(|(leg, mark)| mark.times(leg.quantity * u.units(&leg.instrument)))
        .sum();
    (comes.money() + unpaid, comes)
}

/// Changes of the campaigns that are chosen.
pub(super) fn changes(
    state: &State,
    quoter: &mut Quoter,
    (lens, index): (&Lens, f64),
    asked: &MendAsked,
    looked: &[ItemLooked],
    out: &mut Vec<Prospect<Pick>>,
) -> Vec<Changed> {
    let at = state.clock.now;
    let mut all = Vec::new();
    for (n, l) in looked.iter().enumerate() {
        let Source::Campaign(id) = l.item.source else {
            continue;
        };
        if !l.item.on || !l.item.missing.is_empty() {
            continue;
        }
        let (Some(campaign), Some(ground)) = (
            state.account.campaign(id),
            Ground::of(state, lens, index, &l.item.symbol),
        ) else {
            continue;
        };
        let held = &l.item.holding;
        let Some(received) = campaign.standing(at).map(|s| s.received()) else {
            continue;
        };
        let mut reached: Vec<(Holding, String)> = vec![(Holding::default(), "close it".to_owned())];
        if let Some(listed) = listed_around(state, quoter, &ground, held) {
            for (step, words) in moves_of(held) {
                if let Ok(then) = rework(held, &step, &listed) {
                    reached.push((then, words));
                }
            }
        }
        let orders: Vec<Holding> = reached.iter().map(|(then, _)| change(held, then)).collect();
        let ones = ones_of(state, quoter, &ground, &orders);
        for ((then, words), order) in reached.into_iter().zip(orders) {
            let parts: Option<Vec<(&One, i64, f64)>> = order
                .legs()
                .iter()
                .map(|leg| {
                    let one = ones.get(&leg.instrument)?.as_ref()?;
                    let units = ground.u.units(&leg.instrument) as f64;
                    Some((one, leg.quantity, units))
                })
                .collect();
            let Some(parts) = parts else { continue };
            let sums: Vec<(&Stance, f64)> = parts
                .iter()
                .map(|(one, q, _)| (&one.adds, *q as f64))
                .collect();
            let marks: Vec<Price> = parts
                .iter()
                .map(|(one, ..)| one.market.quote.mark())
                .collect();
            let (cash, comes) = brought(&order, ground.u, &marks);
            let received = received.and(comes);
            let before = l.worked.risk.to_f64();
            let known = risk_then(ground.u, &then, received);
            let after = known.unwrap_or(before);
            let in_sector = asked.sector.is_some() && asked.sector == l.item.sector;
            let trading = parts
                .iter()
                .map(|(one, q, units)| half(&one.market) * q.abs() as f64 * units)
                .sum::<f64>()
                + ground
                    .u
                    .fees(&order, &state.world.fees_of(&ground.u.symbol))
                    .to_f64();
            let first = then.options().map(|(c, _)| c.expiry).min();
            out.push(Prospect {
                what: Pick::Change(all.len()),
                kind: 1_000_000 + n as u64,
                adds: Stance {
                    capital: after - before,
                    sector: if in_sector { after - before } else { 0.0 },
                    ..summed(&sums)
                },
                trading,
                days: first.map_or(1.0, |d| at.days_until(d).max(1) as f64),
                most: 1,
            });
            all.push(Changed {
                campaign: id,
                symbol: l.item.symbol.clone(),
                then,
                words,
                cash,
                unknown: known.is_none().then_some((-received.money(), before)),
                in_sector,
            });
        }
    }
    all
}
