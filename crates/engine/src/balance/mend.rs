//! Mend: over what is listed on baskets, and over the campaigns held, the smallest changes that bring
//! the chosen book where it should be.

use std::collections::HashMap;

use desk::book::mend::{Bands, Candidate, Goal, Least, Mending, Standing, mend};
use desk::book::{
    BookLeg, BookOption, BookPosition, IndexGreeks, STRESS_ANSWER, STRESS_MOVES, Scenario, Worth,
    weight,
};
use desk::rework::{Listed, Part, Rework, change, rework};
use desk::{
    Accuracy, Candidate as ListedOption, Candidates, Carry, Contract, Holding, Instrument, Kind,
    Leg, LegMarket, MarginHolding, MarginLeg, Money, Shape, Underlying, UnderlyingKind,
};
use market::Quoter;
use rayon::prelude::*;

use super::{BookMemo, Chosen, Lens, Looked, Source, Wanted, items, worked};
use crate::money::basis;
use crate::refusal::Refusal;
use crate::state::State;

/// What is asked.
#[derive(Debug, Clone)]
pub struct MendAsked {
    /// Where the book should be.
    pub goal: Goal,
    /// The sector that a goal about one is of.
    pub sector: Option<String>,
    /// What the best is measured by.
    pub least: Least,
    /// The trader's own bands.
    pub bands: Bands,
    /// Over these; empty: over all baskets.
    pub symbols: Vec<String>,
    /// Calendar days to the expirations that are looked at, from and to.
    pub days: (i64, i64),
    /// Most packages.
    pub most: i64,
    /// Options sold with nothing that covers them are looked at too, where the account allows it.
    pub uncovered: bool,
}

/// What can be done.
#[derive(Debug, Clone, PartialEq)]
pub enum Remedy {
    /// Something is bought or sold: so many packages of these legs.
    Trade {
        /// On what.
        symbol: String,
        /// One package.
        unit: Holding,
        /// "buy the put 2,750, 18 Apr".
        words: String,
    },
    /// A campaign is changed.
    Change {
        /// Which.
        campaign: u64,
        /// What it is on.
        symbol: String,
        /// What it holds afterwards.
        then: Holding,
        /// "close the calls".
        words: String,
    },
}

/// A remedy with what it does.
#[derive(Debug, Clone)]
pub struct Mended {
    /// What is done.
    pub remedy: Remedy,
    /// How much of it, and the book afterwards.
    pub mending: Mending<()>,
    /// Cash of it at the middle, received above zero, before fees.
    pub cash: Money,
}

/// What was found.
#[derive(Debug, Clone)]
pub struct Remedies {
    /// The book as it is.
    pub book: Standing,
    /// How far it is from the goal; 0: it is there.
    pub away: f64,
    /// Candidates looked at.
    pub looked: usize,
    /// How many reach the goal.
    pub reach: usize,
    /// The best, the best first: what is bought or sold, then what is done with campaigns.
    pub best: Vec<Mended>,
    /// What was looked over.
    pub symbols: Vec<String>,
}

/// So many are listed: of what is bought or sold, and of what is done with campaigns.
const SHOWN: usize = 10;
const SHOWN_CHANGES: usize = 6;
/// Widths of a vertical in listed strikes, at most.
const WIDEST: usize = 32;
/// Deltas of options that are looked at.
const DELTAS: (f64, f64) = (0.03, 0.80);
/// Shares of one package.
const SHARES: i64 = 10;
/// How far a side of a campaign is rolled: strikes either way, expirations later.
const STRIKES: i64 = 8;
const LATER: i64 = 3;

/// What one of something adds, and how it is traded.
#[derive(Debug, Clone)]
struct One {
    adds: Standing,
    market: LegMarket,
}

/// An underlying as candidates are looked for on it.
struct Ground<'a> {
    u: &'a Underlying,
    spot: f64,
    carry: Carry,
    beta: f64,
    index: f64,
    /// Money a unit that selling one uncovered ties up is looked up by.
    basis: Option<desk::MarginBasis>,
}

impl Ground<'_> {
    fn of<'a>(state: &'a State, lens: &Lens, index: f64, symbol: &str) -> Option<Ground<'a>> {
        let (world, at) = (&state.world, state.clock.now);
        Some(Ground {
            u: world.underlying(symbol)?,
            spot: world.spot(symbol, at)?.to_f64(),
            carry: world.carry(symbol).unwrap_or(Carry::Yield(0.0)),
            beta: lens.betas.of(world, at, symbol, &lens.index).used,
            index,
            basis: basis(state, symbol),
        })
    }

    /// What one bought contract, share or future adds; nothing where its model refuses it.
    fn one(&self, state: &State, instrument: &Instrument, market: &LegMarket) -> Option<Standing> {
        let at = state.clock.now;
        let worth = match instrument {
            Instrument::Option(contract) => Worth::Option(BookOption::Listed {
                contract,
                underlying: self.u,
                at,
                carry: &self.carry,
                rate: market.rate,
                vol: market.vol,
            }),
            Instrument::Underlying(_) if self.u.kind == UnderlyingKind::Future => Worth::Future,
            Instrument::Underlying(_) => Worth::Shares(Some((&self.carry, at))),
        };
        let position = BookPosition {
            spot: self.spot,
            legs: vec![BookLeg {
                units: self.u.units(instrument) as f64,
                worth,
            }],
        };
        let g = position.greeks(Accuracy::Interactive).ok()?;
        let all = STRESS_MOVES.map(|m| Scenario {
            own: self.beta * m,
            days: 0.0,
            vol: STRESS_ANSWER,
        });
        let of = IndexGreeks::of(g.delta, g.gamma, weight(self.beta, self.spot, self.index));
        Some(Standing {
            lean: of.delta,
            theta: g.theta,
            vega: g.vega,
            moves: position.profits(&all, Accuracy::Interactive).ok()?,
            ..Standing::default()
        })
    }
}

/// A candidate before it is worded: legs by place in its ground's list, or a change by number.
#[derive(Debug, Clone, Copy)]
enum Pick {
    Legs {
        ground: usize,
        legs: [(usize, i64); 2],
        two: bool,
    },
    Itself {
        ground: usize,
        quantity: i64,
    },
    Change(usize),
}

/// Sum of some of these.
fn summed(parts: &[(&Standing, f64)]) -> Standing {
    let empty = Standing {
        moves: vec![0.0; STRESS_MOVES.len()],
        ..Standing::default()
    };
    parts.iter().fold(empty, |sum, (s, n)| sum.with(s, *n))
}

/// Half the width of a market, for one unit.
fn half(m: &LegMarket) -> f64 {
    (m.quote.ask - m.quote.bid).to_f64() / 2.0
}

/// The options of an underlying that are looked at, by contract: expiration by expiration, calls and
/// puts apart, strikes ascending.
fn listed_on(
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
    quoter.remember(world, &contracts, at);
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
fn of_one_side(
    state: &State,
    (g, ground): (usize, &Ground<'_>),
    all: &[(Contract, One)],
    range: std::ops::Range<usize>,
    asked: &MendAsked,
) -> Vec<Candidate<Pick>> {
    let fee = state.world.fees().option.to_f64();
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
        let single = |quantity: i64, capital: f64| Candidate {
            what: Pick::Legs {
                ground: g,
                legs: [(i, quantity), (i, 0)],
                two: false,
            },
            kind: kind_of(g, 1, put, quantity < 0),
            adds: Standing {
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
                out.push(Candidate {
                    what: Pick::Legs {
                        ground: g,
                        legs: [(i, a), (j, b)],
                        two: true,
                    },
                    kind: kind_of(g, 2, put, net < 0.0),
                    adds: Standing {
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

/// A campaign that could be changed: what it would hold, and what that does.
struct Changed {
    campaign: u64,
    symbol: String,
    then: Holding,
    words: String,
    cash: Money,
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
fn risk_then(u: &Underlying, then: &Holding, cash: Money) -> Option<f64> {
    let plain = then.is_one_expiration() || then.options().next().is_none();
    if then.is_empty() || !plain {
        return then.is_empty().then_some(0.0);
    }
    let least = Shape::of(then, u, cash).least.limited()?;
    Some((-least).max(Money::ZERO).to_f64())
}

/// Changes of the campaigns that are chosen.
fn changes(
    state: &State,
    quoter: &mut Quoter,
    (lens, index): (&Lens, f64),
    asked: &MendAsked,
    looked: &[Looked],
    out: &mut Vec<Candidate<Pick>>,
) -> Vec<Changed> {
    let fee = state.world.fees().option.to_f64();
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
        let net = campaign.totals.booked() - state.account.open_cost(id);
        let mut reached: Vec<(Holding, String)> = vec![(Holding::default(), "close it".to_owned())];
        if let Some(listed) = listed_around(state, quoter, &ground, held) {
            for (step, words) in moves_of(held) {
                if let Ok(then) = rework(held, &step, &listed) {
                    reached.push((then, words));
                }
            }
        }
        let orders: Vec<Holding> = reached.iter().map(|(then, _)| change(held, then)).collect();
        let mut ones: HashMap<Instrument, Option<One>> = HashMap::new();
        for leg in orders.iter().flat_map(|o| o.legs()) {
            ones.entry(leg.instrument.clone()).or_insert_with(|| {
                let market = quoter.leg_any(&state.world, &leg.instrument, at)?;
                Some(One {
                    adds: ground.one(state, &leg.instrument, &market)?,
                    market,
                })
            });
        }
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
            let sums: Vec<(&Standing, f64)> = parts
                .iter()
                .map(|(one, q, _)| (&one.adds, *q as f64))
                .collect();
            let paid = |(one, q, units): &(&One, i64, f64)| {
                one.market.quote.mark().to_f64() * *q as f64 * units
            };
            let margined = |leg: &Leg| ground.u.is_margined(&leg.instrument);
            let cash: f64 = -parts
                .iter()
                .zip(order.legs())
                .filter(|(_, leg)| !margined(leg))
                .map(|(p, _)| paid(p))
                .sum::<f64>();
            let cash = Money::from_model(cash);
            let before = l.worked.risk.to_f64();
            let after = risk_then(ground.u, &then, net + cash).unwrap_or(before);
            let in_sector = asked.sector.is_some() && asked.sector == l.item.sector;
            let contracts: i64 = order.options().map(|(_, q)| q.abs()).sum();
            let trading = parts
                .iter()
                .map(|(one, q, units)| half(&one.market) * q.abs() as f64 * units)
                .sum::<f64>()
                + fee * contracts as f64;
            let first = then.options().map(|(c, _)| c.expiry).min();
            out.push(Candidate {
                what: Pick::Change(all.len()),
                kind: 1_000_000 + n as u64,
                adds: Standing {
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
            });
        }
    }
    all
}

/// "buy the put 2,750", "sell the vertical 2,750/2,700".
fn words_of(unit: &Holding, u: &Underlying) -> String {
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
        None if u.kind == UnderlyingKind::Future => format!("{deed} the future"),
        None => format!("{deed} shares"),
    }
}

/// Baskets, and the nearest month of each future that moves with the index.
fn grounds_of(state: &State, lens: &Lens, asked: &MendAsked) -> Vec<String> {
    let (world, at) = (&state.world, state.clock.now);
    if !asked.symbols.is_empty() {
        return asked.symbols.clone();
    }
    let mut products: Vec<&str> = Vec::new();
    let mut out = Vec::new();
    for u in world.underlyings(at) {
        if u.kind == UnderlyingKind::Future {
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

/// Looks for the smallest changes that bring the chosen book where it should be.
///
/// # Errors
/// An index that is not known.
pub fn mended(
    state: &State,
    quoter: &mut Quoter,
    memo: &BookMemo,
    chosen: &Chosen,
    (lens, index): (&Lens, f64),
    asked: &MendAsked,
) -> Result<Remedies, Refusal> {
    let wanted = Wanted {
        moves: STRESS_MOVES.to_vec(),
        ..Wanted::default()
    };
    let standard = Lens {
        vol: STRESS_ANSWER,
        apart: Vec::new(),
        ..lens.clone()
    };
    let all = items(state, quoter, chosen);
    let looked = worked(state, quoter, memo, all, (&standard, index), &wanted);
    let on = || looked.iter().filter(|l| l.item.on);
    let mut book = Standing {
        moves: vec![0.0; STRESS_MOVES.len()],
        ..Standing::default()
    };
    for l in on() {
        let sector = asked.sector.is_some() && l.item.sector == asked.sector;
        let risk = l.worked.risk.to_f64();
        let adds = Standing {
            lean: l.worked.index.delta,
            theta: l.worked.greeks.theta,
            vega: l.worked.greeks.vega,
            moves: l.worked.moves.clone(),
            capital: risk,
            sector: if sector { risk } else { 0.0 },
        };
        book = book.with(&adds, 1.0);
    }
    let symbols = grounds_of(state, lens, asked);
    let away = asked.goal.away(&book);
    let mut candidates: Vec<Candidate<Pick>> = Vec::new();
    let mut grounds: Vec<(Ground<'_>, Vec<(Contract, One)>)> = Vec::new();
    if away > 0.0 {
        for symbol in &symbols {
            let ground = Ground::of(state, lens, index, symbol);
            let ground =
                ground.ok_or_else(|| Refusal::UnknownSymbol(symbol.clone(), String::new()))?;
            let listed = listed_on(state, quoter, &ground, asked.days);
            let ones: Vec<(Contract, One)> = listed
                .into_par_iter()
                .filter_map(|(c, market)| {
                    let adds = ground.one(state, &Instrument::Option(c.clone()), &market)?;
                    Some((c, One { adds, market }))
                })
                .collect();
            grounds.push((ground, ones));
        }
        for (g, (ground, ones)) in grounds.iter().enumerate() {
            let mut ranges = Vec::new();
            let mut from = 0;
            let one_side = |a: &Contract, b: &Contract| {
                a.expiry == b.expiry && a.root == b.root && a.kind == b.kind
            };
            for side in ones.chunk_by(|(a, _), (b, _)| one_side(a, b)) {
                ranges.push(from..from + side.len());
                from += side.len();
            }
            let found: Vec<Candidate<Pick>> = ranges
                .into_par_iter()
                .flat_map_iter(|r| of_one_side(state, (g, ground), ones, r, asked))
                .collect();
            candidates.extend(found);
            candidates.extend(itself(state, quoter, (g, ground), asked.most));
        }
    }
    let mut done: Vec<Candidate<Pick>> = Vec::new();
    let changed = if away > 0.0 {
        changes(state, quoter, (lens, index), asked, &looked, &mut done)
    } else {
        Vec::new()
    };
    let by = |of: &[Candidate<Pick>], shown| {
        mend(&book, &asked.bands, &asked.goal, asked.least, of, shown)
    };
    let (trades, reworks) = (by(&candidates, SHOWN), by(&done, SHOWN_CHANGES));
    let told = |m: Mending<Pick>| {
        let (remedy, cash) = match m.what {
            Pick::Change(i) => {
                let c = &changed[i];
                let remedy = Remedy::Change {
                    campaign: c.campaign,
                    symbol: c.symbol.clone(),
                    then: c.then.clone(),
                    words: c.words.clone(),
                };
                (remedy, c.cash)
            }
            Pick::Legs { ground, legs, two } => {
                let (g, ones) = &grounds[ground];
                let legs = &legs[..if two { 2 } else { 1 }];
                let unit = Holding::new(
                    legs.iter()
                        .map(|(i, q)| Leg::option(ones[*i].0.clone(), *q)),
                );
                let paid: Money = legs
                    .iter()
                    .map(|(i, q)| {
                        let mark = ones[*i].1.market.quote.mark();
                        mark.times(q * g.u.multiplier * m.packages)
                    })
                    .sum();
                let words = words_of(&unit, g.u);
                let symbol = g.u.symbol.clone();
                (
                    Remedy::Trade {
                        symbol,
                        unit,
                        words,
                    },
                    -paid,
                )
            }
            Pick::Itself { ground, quantity } => {
                let g = &grounds[ground].0;
                let symbol = g.u.symbol.clone();
                let unit = Holding::new([Leg {
                    instrument: Instrument::Underlying(symbol.clone()),
                    quantity,
                }]);
                let paid = if g.u.kind == UnderlyingKind::Future {
                    0.0
                } else {
                    g.spot * (quantity * m.packages) as f64
                };
                let words = words_of(&unit, g.u);
                (
                    Remedy::Trade {
                        symbol,
                        unit,
                        words,
                    },
                    Money::from_model(-paid),
                )
            }
        };
        Mended {
            remedy,
            mending: m.without_what(),
            cash,
        }
    };
    Ok(Remedies {
        away,
        looked: trades.looked + reworks.looked,
        reach: trades.reach + reworks.reach,
        best: trades
            .best
            .into_iter()
            .chain(reworks.best)
            .map(told)
            .collect(),
        book,
        symbols,
    })
}

/// The underlying itself, bought and sold: shares by tens, or one future.
fn itself(
    state: &State,
    quoter: &mut Quoter,
    (g, ground): (usize, &Ground<'_>),
    most: i64,
) -> Vec<Candidate<Pick>> {
    let at = state.clock.now;
    let instrument = Instrument::Underlying(ground.u.symbol.clone());
    let Some(market) = quoter.leg_any(&state.world, &instrument, at) else {
        return Vec::new();
    };
    let Some(one) = ground.one(state, &instrument, &market) else {
        return Vec::new();
    };
    let future = ground.u.kind == UnderlyingKind::Future;
    let size = if future { 1 } else { SHARES };
    let units = ground.u.units(&instrument) as f64 * size as f64;
    let fee = if future {
        state.world.fees().future.to_f64()
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
        .map(|quantity| Candidate {
            what: Pick::Itself {
                ground: g,
                quantity,
            },
            kind: kind_of(g, 3, false, quantity < 0),
            adds: Standing {
                capital: need,
                ..summed(&[(&one, quantity as f64)])
            },
            trading: fee + half(&market) * units,
            days: 30.0,
            most,
        })
        .collect()
}
