//! What could be bought or sold: single options and verticals of the expirations asked for, and the
//! underlying itself.

use desk::Underlying;
use desk::book::mend::{Prospect, Stance};
use desk::{
    Contract, Holding, Instrument, Kind, LegMarket, MarginHolding, MarginLeg, UnderlyingKind,
};
use market::Quoter;
use rayon::prelude::*;

use super::ground::{Ground, One, half, summed};
use super::{Lens, MendAsked, Pick};
use crate::state::State;

/// Widths of a vertical in listed strikes, at most.
const WIDEST: usize = 32;

/// Deltas of options that are looked at.
const DELTAS: (f64, f64) = (0.03, 0.80);

/// Shares of one package.
const SHARES: i64 = 10;

/// The options of an underlying that are looked at, by contract: expiration by expiration, calls and
/// puts apart, strikes ascending.
pub(super) fn listed_on(
    state: &State,
    quoter: &mut Quoter,
    ground: &Ground<'_>,
    (from, to): (i64, i64),
) -> Vec<(Contract, LegMarket)> {
    let (world, at) = (&state.world, state.clock.now);
    let mut contracts: Vec<Contract> = Vec::new();
    for e in world.expirations(&ground.u.symbol, at).unwrap_or_default() {
        if !(from..=to).contains(&at.days_until(e.date)) {
            continue;
        }
        let chain = quoter.chain(world, ground.u, &e, at);
        let wanted = chain.into_iter().filter(|(_, l)| {
            let size = l.delta.abs();
            size >= DELTAS.0 && size <= DELTAS.1 && l.quote.ask > desk::Price::ZERO
        });
        contracts.extend(wanted.map(|(c, _)| c));
    }
    contracts.sort();
    quoter.remember_legs(world, &contracts, at);
    let quoter = &*quoter;
    let mut found: Vec<(Contract, LegMarket)> = contracts
        .into_par_iter()
        .filter_map(|c| {
            let market = quoter.remembered_leg(world, &Instrument::Option(c.clone()), at)?;
            Some((c, market))
        })
        .collect();
    found.sort_by(|(a, _), (b, _)| {
        (a.expiry, &a.root, a.kind == Kind::Put, a.strike).cmp(&(
            b.expiry,
            &b.root,
            b.kind == Kind::Put,
            b.strike,
        ))
    });
    found
}

/// Margin of one contract sold alone.
fn alone(ground: &Ground<'_>, contract: &Contract, market: &LegMarket) -> f64 {
    let Some(basis) = &ground.basis else {
        return 0.0;
    };
    let leg = MarginLeg {
        ends: ground.u.expiry_moment(contract),
        contract: contract.clone(),
        quantity: -1,
        mark: market.quote.mark(),
    };
    let sold = MarginHolding {
        options: vec![leg],
        underlying: 0,
    };
    desk::requirement(&sold, basis).total.to_f64()
}

/// Numbers of kinds: underlying, shape and way.
fn kind_of(ground: usize, shape: u64, put: bool, sold: bool) -> u64 {
    (ground as u64) * 100 + shape * 10 + u64::from(put) * 2 + u64::from(sold)
}

/// Singles and verticals of one expiration and right, at places `range` of the list.
pub(super) fn of_one_side(
    state: &State,
    (g, ground): (usize, &Ground<'_>),
    all: &[(Contract, One)],
    range: std::ops::Range<usize>,
    asked: &MendAsked,
) -> Vec<Prospect<Pick>> {
    let fee = state.world.fees_of(&ground.u.symbol).option.to_f64();
    let units = ground.u.multiplier as f64;
    let at = state.clock.now;
    let mut out = Vec::new();
    // A sold option alone needs the highest levels.
    let most = asked.most;
    let naked = |kind| {
        let needed = if kind == Kind::Put && ground.u.kind == UnderlyingKind::Shares {
            4
        } else {
            5
        };
        asked.uncovered && state.rules.allows() >= needed
    };
    for i in range.clone() {
        let (c, one) = &all[i];
        let days = at.days_until(c.expiry) as f64;
        let put = c.kind == Kind::Put;
        let price = one.market.quote.mark().to_f64() * units;
        let trading = fee + half(&one.market) * units;
        let single = |quantity: i64, capital: f64| Prospect {
            what: Pick::Legs {
                ground: g,
                legs: [(i, quantity), (i, 0)],
                two: false,
            },
            kind: kind_of(g, 1, put, quantity < 0),
            adds: Stance {
                capital,
                ..summed(&[(&one.adds, quantity as f64)])
            },
            trading,
            days,
            most,
        };
        out.push(single(1, price));
        if naked(c.kind) && one.market.quote.bid > desk::Price::ZERO {
            // A put can lose its strike less what it brings; a call has no limit and counts what it
            // ties up.
            let capital = if put {
                c.strike.to_f64() * units - price
            } else {
                alone(ground, c, &one.market)
            };
            out.push(single(-1, capital));
        }
        let reach = (i + 1)..range.end.min(i + 1 + WIDEST);
        for (j, (d, other)) in reach.clone().zip(&all[reach]) {
            let width = (d.strike - c.strike).to_f64() * units;
            let trading = 2.0 * fee + (half(&one.market) + half(&other.market)) * units;
            for (a, b) in [(1, -1), (-1, 1)] {
                let sold = if a < 0 { &one.market } else { &other.market };
                if sold.quote.bid <= desk::Price::ZERO {
                    continue;
                }
                let net =
                    (one.market.quote.mark() * a + other.market.quote.mark() * b).to_f64() * units;
                // A debit is what it can lose; a credit leaves the width less itself.
                let capital = if net >= 0.0 { net } else { width + net };
                out.push(Prospect {
                    what: Pick::Legs {
                        ground: g,
                        legs: [(i, a), (j, b)],
                        two: true,
                    },
                    kind: kind_of(g, 2, put, net < 0.0),
                    adds: Stance {
                        capital: capital.max(0.0),
                        ..summed(&[(&one.adds, a as f64), (&other.adds, b as f64)])
                    },
                    trading,
                    days,
                    most,
                });
            }
        }
    }
    out
}

/// The underlying itself, bought and sold: shares by tens, or one future.
pub(super) fn itself(
    state: &State,
    quoter: &mut Quoter,
    (g, ground): (usize, &Ground<'_>),
    most: i64,
) -> Vec<Prospect<Pick>> {
    let at = state.clock.now;
    let instrument = Instrument::Underlying(ground.u.symbol.clone());
    let Some(market) = quoter.leg_any(&state.world, &instrument, at) else {
        return Vec::new();
    };
    let Some(one) = ground.one(state, &instrument, &market) else {
        return Vec::new();
    };
    let future = ground.u.settles_daily();
    let size = if future { 1 } else { SHARES };
    let units = ground.u.units(&instrument) as f64 * size as f64;
    let fee = if future {
        state.world.fees_of(&ground.u.symbol).future.to_f64()
    } else {
        0.0
    };
    let need = ground.basis.as_ref().map_or(0.0, |basis| {
        let held = |quantity| MarginHolding {
            options: Vec::new(),
            underlying: quantity,
        };
        desk::requirement(&held(size), basis).total.to_f64()
    });
    let most = if future { most } else { most * 20 };
    [size, -size]
        .into_iter()
        .filter(|q| *q > 0 || future || state.rules.kind != desk::AccountKind::Cash)
        .map(|quantity| Prospect {
            what: Pick::Itself {
                ground: g,
                quantity,
            },
            kind: kind_of(g, 3, false, quantity < 0),
            adds: Stance {
                capital: need,
                ..summed(&[(&one, quantity as f64)])
            },
            trading: fee + half(&market) * units,
            days: 30.0,
            most,
        })
        .collect()
}

/// "buy the put 2,750", "sell the vertical 2,750/2,700".
pub(super) fn words_of(unit: &Holding, u: &Underlying) -> String {
    let legs = unit.legs();
    let expiry = unit.options().map(|(c, _)| c.expiry).min();
    let date = expiry.map_or_else(String::new, |d| format!(", {}", desk::short_date(d)));
    if legs.len() > 1 {
        let name = desk::recognise(unit, u).text;
        return format!("{name} {}{date}", unit.strikes_label());
    }
    let Some(leg) = legs.first() else {
        return String::new();
    };
    let deed = if leg.quantity > 0 { "buy" } else { "sell" };
    match leg.instrument.option() {
        Some(c) => {
            let right = if c.kind == Kind::Call { "call" } else { "put" };
            format!("{deed} the {right} {}{date}", desk::strike_label(c.strike))
        }
        None if u.settles_daily() => format!("{deed} the future"),
        None => format!("{deed} shares"),
    }
}

/// Baskets, and the nearest month of each future that moves with the index.
pub(super) fn grounds_of(state: &State, lens: &Lens, asked: &MendAsked) -> Vec<String> {
    let (world, at) = (&state.world, state.clock.now);
    if !asked.symbols.is_empty() {
        return asked.symbols.clone();
    }
    let mut products: Vec<&str> = Vec::new();
    let mut out = Vec::new();
    for u in world.underlyings(at) {
        if u.settles_daily() {
            // Months of a product share its name but for the last two letters.
            let product = &u.symbol[..u.symbol.len().saturating_sub(2)];
            let moves = lens.betas.of(world, at, &u.symbol, &lens.index).used.abs() > 0.05;
            if moves && !products.contains(&product) {
                products.push(product);
                out.push(u.symbol.clone());
            }
        } else if world.is_basket(&u.symbol) || u.symbol == lens.index {
            out.push(u.symbol.clone());
        }
    }
    out
}
