//! Ways out: every move of the families of rework, one or two of them, over what is listed; those
//! that keep within limits, the best by a measure first.

use std::collections::{BTreeMap, HashSet};
use std::mem::{Discriminant, discriminant};

use quant::Kind;
use rayon::prelude::*;

use super::judge::{Field, Made, Slot, Table};
use super::{Listed, Part, Rework, change, other, pressed, rework};
use desk::Contract;
use desk::EntryPrice;
use desk::Holding;
use desk::Instrument;
use desk::Package;
use desk::Received;
use desk::{Money, Price};
use desk::{Quote, package_quote};

/// At which price of its market a change is counted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum At {
    /// Join one's own side.
    Rest,
    /// The middle of the package's market.
    #[default]
    Middle,
    /// Take the other side.
    Cross,
}

impl From<At> for EntryPrice {
    fn from(at: At) -> EntryPrice {
        match at {
            At::Rest => EntryPrice::Rest,
            At::Middle => EntryPrice::Middle,
            At::Cross => EntryPrice::Cross,
        }
    }
}

/// What a way has to keep; each absent: no such limit.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Limits {
    /// Received for the change at least, before fees; below zero: paid at most.
    pub credit: Option<Money>,
    /// Loss of the whole campaign at most.
    pub loss: Option<Money>,
    /// Calendar days to its first expiration, from and to.
    pub days: Option<(i64, i64)>,
    /// Lean of the whole book afterwards, from and to.
    pub lean: Option<(f64, f64)>,
    /// Tied up afterwards at most.
    pub capital: Option<Money>,
    /// From rest to cross of the change at most.
    pub width: Option<Price>,
}

/// What the best is measured by.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Measure {
    /// Chance that the campaign ends in profit.
    #[default]
    Chance,
    /// Received for each day that it lasts.
    CreditADay,
    /// Lean of the book, nearest to zero.
    Lean,
    /// The least maximum loss.
    Loss,
    /// The most room to the nearest break-even, in deviations.
    Room,
}

/// Why a change is not among the ways.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Out {
    /// It is more than one order may send.
    Order,
    /// It brings less, or costs more, than the limit.
    Credit,
    /// It can lose more.
    Loss,
    /// It ends sooner or later.
    Days,
    /// The book would lean outside the band.
    Lean,
    /// Its market is wider.
    Width,
    /// It ties up more.
    Capital,
    /// It closes what a working order waits to close.
    Waiting,
    /// The ticket refuses it.
    Refused,
    /// A leg has no market, or no model covers it.
    Unvalued,
}

/// What is asked.
#[derive(Debug, Clone)]
pub struct Asked<'a> {
    /// What the campaign holds.
    pub held: &'a Holding,
    /// What came in for all of it so far.
    pub received: Received,
    /// At which price the change is counted.
    pub at: At,
    /// What a way must keep to be listed.
    pub limits: &'a Limits,
    /// What the best is measured by.
    pub measure: Measure,
}

/// A way out.
#[derive(Debug, Clone)]
pub struct Way {
    /// The moves, in order.
    pub moves: Vec<Rework>,
    /// What would be held.
    pub then: Holding,
    /// Net price of one package of the change.
    pub price: Price,
    /// Cash of the change before fees, received above zero.
    pub cash: Money,
    /// Days to its first expiration.
    pub days: i64,
    /// What the whole campaign makes then.
    pub made: Made,
    /// Lean of the book.
    pub lean: f64,
}

impl Way {
    /// "close the puts; roll everything 1 expiration later, 2 strikes higher".
    pub fn words(&self) -> String {
        let each: Vec<String> = self.moves.iter().map(ToString::to_string).collect();
        each.join("; ")
    }

    /// Which families its moves are of: of one kind only a few are shown.
    pub fn kind(&self) -> Vec<MoveFamily> {
        self.moves.iter().map(MoveFamily::of).collect()
    }

    /// How good it is by a measure; more is better.
    fn rank(&self, measure: Measure) -> f64 {
        match measure {
            Measure::Chance => self.made.chance,
            Measure::CreditADay => self.cash.to_f64() / self.days.max(1) as f64,
            Measure::Lean => -self.lean.abs(),
            Measure::Loss => self.made.least.unwrap_or(f64::NEG_INFINITY),
            Measure::Room => self.made.room,
        }
    }
}

/// Moves that differ only in how far they go.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct MoveFamily {
    what: Discriminant<Rework>,
    part: Option<Discriminant<Part>>,
    /// Later or nearer, higher or lower, more or fewer: the signs of it.
    way: (i64, i64),
}

impl MoveFamily {
    fn of(step: &Rework) -> MoveFamily {
        let (part, way) = match step {
            Rework::Roll {
                part,
                expirations,
                strikes,
            } => (Some(part), (expirations.signum(), strikes.signum())),
            Rework::Close(part) => (Some(part), (0, 0)),
            Rework::Closer(n) | Rework::Widen(n) | Rework::More(n) => (None, (n.signum(), 0)),
            _ => (None, (0, 0)),
        };
        MoveFamily {
            what: discriminant(step),
            part: part.map(discriminant),
            way,
        }
    }
}

/// What a search found.
#[derive(Debug, Clone, Default)]
pub struct Ways {
    /// Different holdings it looked at.
    pub looked: usize,
    /// How many were ruled out by what.
    pub ruled_out: BTreeMap<Out, usize>,
    /// The others, the best first.
    pub ways: Vec<Way>,
}

/// Most strikes that a move goes either way, and expirations that it goes later.
const STRIKES: i64 = 20;
const LATER: i64 = 8;
/// Deltas at which something is sold against what is bought.
const DELTAS: [f64; 7] = [0.1, 0.15, 0.2, 0.25, 0.3, 0.35, 0.4];

fn roll(part: &Part, expirations: i64, strikes: i64) -> Rework {
    Rework::Roll {
        part: part.clone(),
        expirations,
        strikes,
    }
}

/// All moves and pairs of moves that are tried, for what is held.
fn families(held: &Holding, spot: f64, later: i64) -> Vec<Vec<Rework>> {
    let has = |kind| held.options().any(|(c, _)| c.kind == kind);
    let two_sided = has(Kind::Call) && has(Kind::Put);
    // By right and not as pressed and quiet: a first move may turn those about.
    let side = |kind| match kind {
        Kind::Call => Part::Calls,
        Kind::Put => Part::Puts,
    };
    let sides = pressed(held, spot)
        .filter(|_| two_sided)
        .map(|kind| (side(kind), side(other(kind))));
    let options: Vec<(Contract, i64)> = held.options().map(|(c, n)| (c.clone(), n)).collect();
    let parts = if two_sided {
        vec![Part::All, Part::Calls, Part::Puts]
    } else {
        vec![Part::All]
    };
    let legs = || options.iter().map(|(c, _)| Part::Leg(c.clone()));
    let mut out: Vec<Vec<Rework>> = Vec::new();
    for e in 0..=later {
        for s in -STRIKES..=STRIKES {
            out.extend(parts.iter().map(|p| vec![roll(p, e, s)]));
            if options.len() > 1 {
                out.extend(legs().map(|p| vec![roll(&p, e, s)]));
            }
            out.extend((-10..=10).map(|w| vec![roll(&Part::All, e, s), Rework::Widen(w)]));
            out.extend(
                (1..held.packages().min(10))
                    .map(|n| vec![roll(&Part::All, e, s), Rework::More(-n)]),
            );
            if let Some((pressed, quiet)) = &sides {
                let first = roll(pressed, e, s);
                let then = |q| vec![first.clone(), roll(quiet, e, q)];
                out.extend((-STRIKES..=STRIKES).map(then));
                for closed in [quiet, pressed] {
                    let close = Rework::Close(closed.clone());
                    out.push(vec![close, roll(&Part::All, e, s)]);
                }
            }
        }
        for into in [Rework::Recentre, Rework::IntoCondor, Rework::IntoButterfly] {
            out.push(vec![roll(&Part::All, e, 0), into]);
        }
    }
    out.extend((1..=STRIKES).map(|n| vec![Rework::Closer(n)]));
    out.extend((-10..=10).map(|n| vec![Rework::Widen(n)]));
    out.extend((1..held.packages().min(100)).map(|n| vec![Rework::More(-n)]));
    out.extend(parts.iter().skip(1).map(|p| vec![Rework::Close(p.clone())]));
    out.extend(legs().map(|p| vec![Rework::Close(p)]));
    out.extend(
        [Rework::Recentre, Rework::IntoCondor, Rework::IntoButterfly].map(|into| vec![into]),
    );
    for (leg, quantity) in options {
        if quantity < 0 {
            let cover = |strikes| Rework::Cover {
                leg: leg.clone(),
                strikes,
            };
            out.extend((1..=STRIKES).map(|n| vec![cover(n)]));
        } else {
            let sell = |delta| Rework::SellAgainst {
                leg: leg.clone(),
                delta,
            };
            out.extend(DELTAS.map(|d| vec![sell(d)]));
        }
    }
    out
}

/// What the moves lead to; a first move that changes nothing is no move.
fn led(held: &Holding, moves: &[Rework], listed: &Listed) -> Option<(Vec<Rework>, Holding)> {
    let mut then = held.clone();
    let mut made = Vec::with_capacity(moves.len());
    for step in moves {
        match rework(&then, step, listed) {
            Ok(next) => {
                then = next;
                made.push(step.clone());
            }
            Err(super::Stuck::Same) => {}
            Err(_) => return None,
        }
    }
    (!made.is_empty() && then != *held).then_some((made, then))
}

/// What was worked out of a change before the outline is.
struct Priced {
    moves: Vec<Rework>,
    then: Holding,
    price: Price,
    cash: Money,
    fees: Money,
    horizon: usize,
    legs: Vec<(Slot, i64)>,
    lean: f64,
}

/// A change at its price, unless a limit rules it out already.
fn priced(
    field: &Field<'_>,
    asked: &Asked<'_>,
    (moves, then): (Vec<Rework>, Holding),
) -> Result<Priced, Out> {
    let limits = asked.limits;
    let order = change(asked.held, &then);
    let (package, packages) = Package::of(&order).map_err(|_| Out::Order)?;
    let (horizon, legs) = field.horizon(&then).ok_or(Out::Unvalued)?;
    let days = field.dates()[horizon].days;
    if limits.days.is_some_and(|(a, b)| !(a..=b).contains(&days)) {
        return Err(Out::Days);
    }
    let markets = field.markets_of(&package).ok_or(Out::Unvalued)?;
    let quotes: Vec<Quote> = markets.iter().map(|m| m.quote).collect();
    let quote = package_quote(&package, &quotes, field.underlying);
    if limits.width.is_some_and(|w| quote.cross - quote.rest > w) {
        return Err(Out::Width);
    }
    let price = match asked.at {
        At::Rest => quote.rest,
        At::Middle => quote.middle,
        At::Cross => quote.cross,
    };
    let cash = -price.times(packages * field.underlying.price_units(&order));
    if limits.credit.is_some_and(|least| cash < least) {
        return Err(Out::Credit);
    }
    let lean = field.lean.0 + field.delta(&order).ok_or(Out::Unvalued)? * field.lean.1;
    if limits.lean.is_some_and(|(a, b)| lean < a || lean > b) {
        return Err(Out::Lean);
    }
    Ok(Priced {
        moves,
        then,
        price,
        cash,
        fees: field.underlying.fees(&order, &field.fees),
        horizon,
        legs,
        lean,
    })
}

/// Goes through all moves. The figures of what is listed here are those of the evaluation where
/// everything ends together, and within a grid's width of them otherwise.
///
/// # Errors
/// Terms that the models refuse.
pub fn ways(field: &Field<'_>, asked: &Asked<'_>) -> Result<Ways, quant::Error> {
    let spot = field.spot.to_f64();
    let dates = field.dates().iter().map(|d| d.candidates.clone()).collect();
    let listed = Listed::new(spot, dates);
    let places = asked.held.options().filter_map(|(c, _)| field.slot(c));
    let first = places.map(|(d, _)| d).min().unwrap_or(0);
    let later = LATER.min(field.dates().len() as i64 - 1 - first as i64);
    let tried = families(asked.held, spot, later.max(0));
    let led: Vec<(Vec<Rework>, Holding)> = tried
        .par_iter()
        .filter_map(|moves| led(asked.held, moves, &listed))
        .collect();
    let mut seen: HashSet<Vec<(Instrument, i64)>> = HashSet::with_capacity(led.len());
    let key = |h: &Holding| -> Vec<(Instrument, i64)> {
        let each = h.legs().iter();
        each.map(|l| (l.instrument.clone(), l.quantity)).collect()
    };
    let different: Vec<_> = led
        .into_iter()
        .filter(|(_, then)| then.options().next().is_some() && seen.insert(key(then)))
        .collect();
    let mut found = Ways {
        looked: different.len(),
        ..Ways::default()
    };
    let judged: Vec<Result<Priced, Out>> = different
        .into_par_iter()
        .map(|way| priced(field, asked, way))
        .collect();
    let mut by_horizon: BTreeMap<usize, Vec<Priced>> = BTreeMap::new();
    for one in judged {
        match one {
            Ok(p) => by_horizon.entry(p.horizon).or_default().push(p),
            Err(out) => *found.ruled_out.entry(out).or_default() += 1,
        }
    }
    let multiplier = field.underlying.multiplier;
    for (horizon, all) in by_horizon {
        let mut wanted: Vec<Slot> = all
            .iter()
            .flat_map(|p| p.legs.iter().map(|(slot, _)| *slot))
            .collect();
        wanted.sort_unstable();
        wanted.dedup();
        let table = Table::new(field, horizon, &wanted)?;
        let days = field.dates()[horizon].days;
        let made: Vec<Result<Way, Out>> = all
            .into_par_iter()
            .map(|p| {
                let own = p.then.underlying_quantity() * multiplier / field.underlying.lot();
                let received = (asked.received.money() + p.cash - p.fees).to_f64();
                let made = table
                    .made(received, own as f64, &p.legs, spot)
                    .ok_or(Out::Unvalued)?;
                let loss = made.least.map(|l| -Money::from_model(l));
                let within = asked
                    .limits
                    .loss
                    .is_none_or(|most| loss.is_some_and(|l| l <= most));
                if !within {
                    return Err(Out::Loss);
                }
                Ok(Way {
                    moves: p.moves,
                    then: p.then,
                    price: p.price,
                    cash: p.cash,
                    days,
                    made,
                    lean: p.lean,
                })
            })
            .collect();
        for one in made {
            match one {
                Ok(way) => found.ways.push(way),
                Err(out) => *found.ruled_out.entry(out).or_default() += 1,
            }
        }
    }
    let measure = asked.measure;
    found.ways.sort_by(|a, b| {
        let better = b.rank(measure).total_cmp(&a.rank(measure));
        better.then(a.moves.len().cmp(&b.moves.len()))
    });
    Ok(found)
}
