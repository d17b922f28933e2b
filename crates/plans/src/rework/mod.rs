//! Rework: what a campaign holds, changed as a draft. Each move gives from what would be held what
//! would be held then; nothing is sent by it.

mod judge;
mod ways;
mod words;

pub use judge::{Dated, Field, Made};
pub use ways::{Asked, At, Limits, Measure, MoveFamily, Out, Way, Ways, ways};

use quant::Kind;
use thiserror::Error;

use crate::idea::{Candidates, Place};
use desk::Contract;
use desk::Underlying;
use desk::{Holding, Leg};
use desk::{Money, Price};
use desk::{Shape, profile};

/// Which legs a move is about.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Part {
    /// All that the campaign holds.
    All,
    /// Every call that it holds.
    Calls,
    /// Every put that it holds.
    Puts,
    /// The side whose sold strike the price is nearest to, or farthest beyond.
    Pressed,
    /// The other side.
    Quiet,
    /// One series that it holds.
    Leg(Contract),
}

/// A change of what is held.
#[derive(Debug, Clone, PartialEq)]
pub enum Rework {
    /// Options so many listed expirations later, and so many listed strikes higher.
    Roll {
        /// The part of the campaign that it is done to.
        part: Part,
        /// Expirations later; below zero nearer.
        expirations: i64,
        /// Strikes higher; below zero lower.
        strikes: i64,
    },
    /// One option to a delta, a distance or a deviation, in its own expiration.
    To {
        /// The series that is moved.
        leg: Contract,
        /// Where it is moved to.
        place: Place,
    },
    /// All options by as many listed strikes as bring their middle nearest to the price.
    Recentre,
    /// The quiet side so many listed strikes toward the price.
    Closer(i64),
    /// Gives back a part of what is held.
    Close(Part),
    /// What is bought so many listed strikes away from what is sold beside it; below zero nearer.
    Widen(i64),
    /// So many packages more; below zero fewer.
    More(i64),
    /// Buys as much of the same kind so many listed strikes farther out, so that what is sold is
    /// covered.
    Cover {
        /// What is sold.
        leg: Contract,
        /// Strikes farther out, one at least.
        strikes: i64,
    },
    /// Sells as much of the same kind at a delta, against what is bought.
    SellAgainst {
        /// What is bought.
        leg: Contract,
        /// The size of the delta.
        delta: f64,
    },
    /// Other legs beside it, in this or another expiration.
    Add(Vec<Leg>),
    /// A vertical becomes an iron condor: the other side is sold at the same delta, as wide.
    IntoCondor,
    /// Sold calls and puts meet at the strike nearest to the price; wings keep their width.
    IntoButterfly,
}

/// Why a move leads nowhere.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum Stuck {
    /// Nothing is there to be moved.
    #[error("{0}")]
    Nothing(&'static str),
    /// A contract it needs is not listed.
    #[error("{0} is not listed")]
    Unlisted(String),
    /// It would change nothing.
    #[error("it would change nothing")]
    Same,
}

/// What is listed: each expiration with its contracts and their deltas, ascending.
#[derive(Debug, Clone)]
pub struct Listed {
    spot: f64,
    dates: Vec<Candidates>,
    /// Of each expiration its calls and its puts, strikes ascending.
    sides: Vec<[Vec<Contract>; 2]>,
}

impl Listed {
    /// At a price of the underlying, by expiration.
    pub fn new(spot: f64, dates: Vec<Candidates>) -> Listed {
        let sides = |date: &Candidates| {
            [Kind::Call, Kind::Put].map(|kind| {
                let all = date.listed.iter().map(|l| &l.contract);
                let mut side: Vec<Contract> = all.filter(|c| c.kind == kind).cloned().collect();
                side.sort_by_key(|c| c.strike);
                side
            })
        };
        Listed {
            spot,
            sides: dates.iter().map(sides).collect(),
            dates,
        }
    }

    fn place_of(&self, c: &Contract) -> Option<usize> {
        let same = |x: &Candidates| {
            let first = x.listed.first().map(|l| &l.contract);
            first.is_some_and(|f| (f.expiry, &f.root) == (c.expiry, &c.root))
        };
        self.dates.iter().position(same)
    }

    /// The listed strikes of a right in an expiration, ascending.
    fn side(&self, date: usize, kind: Kind) -> &[Contract] {
        &self.sides[date][usize::from(kind == Kind::Put)]
    }

    /// The contract so many listed expirations later and strikes higher. In another expiration the
    /// strike nearest to its own counts as its own.
    fn moved(&self, c: &Contract, expirations: i64, strikes: i64) -> Result<Contract, Stuck> {
        let from = self.place_of(c).ok_or_else(|| Stuck::Unlisted(c.label()))?;
        let to = usize::try_from(from as i64 + expirations).ok();
        let to = to.filter(|to| *to < self.dates.len()).ok_or_else(|| {
            Stuck::Unlisted(format!(
                "an expiration {} {}",
                expirations.abs(),
                if expirations > 0 { "later" } else { "nearer" }
            ))
        })?;
        let side = self.side(to, c.kind);
        let place = nearest(side, c.strike).and_then(|i| usize::try_from(i as i64 + strikes).ok());
        place
            .and_then(|i| side.get(i))
            .cloned()
            .ok_or_else(|| Stuck::Unlisted(format!("a strike {strikes} from the {}", c.label())))
    }
}

/// The place of the strike nearest to one among ascending ones, of two as near the lower.
fn nearest(side: &[Contract], to: Price) -> Option<usize> {
    let after = side.partition_point(|c| c.strike < to);
    let away = |i: &usize| (side[*i].strike - to).abs();
    let near = [after.checked_sub(1), (after < side.len()).then_some(after)];
    near.into_iter().flatten().min_by_key(away)
}

/// Which side the price presses, at a price of the model world: see [`Holding::pressed`].
pub fn pressed(held: &Holding, spot: f64) -> Option<Kind> {
    held.pressed(Price::from_f64(spot)?)
}

fn other(kind: Kind) -> Kind {
    match kind {
        Kind::Call => Kind::Put,
        Kind::Put => Kind::Call,
    }
}

/// Whether a leg belongs to a part.
fn chosen(held: &Holding, spot: f64, part: &Part) -> Result<impl Fn(&Leg) -> bool + use<>, Stuck> {
    let side = |kind: Option<Kind>| kind.ok_or(Stuck::Nothing("no option is sold"));
    let (all, kind, one) = match part {
        Part::All => (true, None, None),
        Part::Calls => (false, Some(Kind::Call), None),
        Part::Puts => (false, Some(Kind::Put), None),
        Part::Pressed => (false, Some(side(pressed(held, spot))?), None),
        Part::Quiet => (false, Some(other(side(pressed(held, spot))?)), None),
        Part::Leg(c) => (false, None, Some(c.clone())),
    };
    Ok(move |leg: &Leg| {
        let option = leg.instrument.option();
        all || option.is_some_and(|c| Some(c.kind) == kind || Some(c) == one.as_ref())
    })
}

/// Every option that `which` says to another contract.
fn each(
    held: &Holding,
    which: impl Fn(&Leg) -> bool,
    to: impl Fn(&Contract, i64) -> Result<Contract, Stuck>,
) -> Result<Holding, Stuck> {
    let mut any = false;
    let legs = held.legs().iter().map(|leg| match leg.instrument.option() {
        Some(c) if which(leg) => {
            any = true;
            Ok(Leg::option(to(c, leg.quantity)?, leg.quantity))
        }
        _ => Ok(leg.clone()),
    });
    let legs = legs.collect::<Result<Vec<_>, Stuck>>()?;
    if any {
        Ok(Holding::new(legs))
    } else {
        Err(Stuck::Nothing("no option is there"))
    }
}

/// How many of a contract are held, signed.
fn quantity_of(held: &Holding, contract: &Contract) -> i64 {
    let found = held.options().find(|(c, _)| *c == contract);
    found.map_or(0, |(_, quantity)| quantity)
}

fn with(held: &Holding, more: impl IntoIterator<Item = Leg>) -> Holding {
    Holding::new(held.legs().iter().cloned().chain(more))
}

/// What would be held after a move.
///
/// # Errors
/// There is nothing to move, something it needs is not listed, or it changes nothing.
pub fn rework(held: &Holding, step: &Rework, listed: &Listed) -> Result<Holding, Stuck> {
    let spot = listed.spot;
    let then = match step {
        Rework::Roll {
            part,
            expirations,
            strikes,
        } => each(held, chosen(held, spot, part)?, |c, _| {
            listed.moved(c, *expirations, *strikes)
        })?,
        Rework::To { leg, place } => {
            let date = listed.place_of(leg).map(|i| &listed.dates[i]);
            let to = date.and_then(|d| d.pick(leg.kind, *place)).cloned();
            let to = to.ok_or_else(|| Stuck::Unlisted(leg.label()))?;
            each(
                held,
                chosen(held, spot, &Part::Leg(leg.clone()))?,
                |_, _| Ok(to.clone()),
            )?
        }
        Rework::Recentre => {
            let strikes: Vec<f64> = held.options().map(|(c, _)| c.strike.to_f64()).collect();
            let (low, high) = strikes
                .iter()
                .fold((f64::MAX, f64::MIN), |(l, h), k| (l.min(*k), h.max(*k)));
            let first = held.options().next().map(|(c, _)| c.clone());
            let first = first.ok_or(Stuck::Nothing("no option is there"))?;
            let steps = steps_between(listed, &first, f64::midpoint(low, high), spot)?;
            each(held, |_| true, |c, _| listed.moved(c, 0, steps))?
        }
        Rework::Closer(strikes) => each(held, chosen(held, spot, &Part::Quiet)?, |c, _| {
            let toward = if c.strike.to_f64() > spot {
                -strikes
            } else {
                *strikes
            };
            listed.moved(c, 0, toward)
        })?,
        Rework::Close(part) => {
            let which = chosen(held, spot, part)?;
            Holding::new(held.legs().iter().filter(|l| !which(l)).cloned())
        }
        Rework::Widen(strikes) => widened(held, *strikes, listed)?,
        Rework::More(packages) => {
            let now = held.packages();
            let then = now + packages;
            if held.is_empty() || then < 1 {
                return Err(Stuck::Nothing(
                    "one package at least stays; close it instead",
                ));
            }
            held.unit().times(then)
        }
        Rework::Cover { leg, strikes } => {
            let sold = -quantity_of(held, leg);
            if sold <= 0 {
                return Err(Stuck::Nothing("that leg is not sold"));
            }
            let out = strikes.max(&1) * if leg.kind == Kind::Call { 1 } else { -1 };
            with(held, [Leg::option(listed.moved(leg, 0, out)?, sold)])
        }
        Rework::SellAgainst { leg, delta } => {
            let bought = quantity_of(held, leg);
            if bought <= 0 {
                return Err(Stuck::Nothing("that leg is not bought"));
            }
            let date = listed.place_of(leg).map(|i| &listed.dates[i]);
            let at = date
                .and_then(|d| d.pick(leg.kind, Place::Delta(*delta)))
                .cloned();
            let at = at.ok_or_else(|| Stuck::Unlisted(leg.label()))?;
            with(held, [Leg::option(at, -bought)])
        }
        Rework::Add(legs) => with(held, legs.iter().cloned()),
        Rework::IntoCondor => condor(held, listed)?,
        Rework::IntoButterfly => butterfly(held, listed)?,
    };
    if then == *held {
        Err(Stuck::Same)
    } else {
        Ok(then)
    }
}

/// Listed strikes from the one nearest to a price to the one nearest to another.
fn steps_between(listed: &Listed, like: &Contract, from: f64, to: f64) -> Result<i64, Stuck> {
    let date = listed.place_of(like);
    let date = date.ok_or_else(|| Stuck::Unlisted(like.label()))?;
    let side = listed.side(date, like.kind);
    let place = |price: f64| {
        let price = Price::from_f64(price).unwrap_or(like.strike);
        nearest(side, price).unwrap_or(0) as i64
    };
    Ok(place(to) - place(from))
}

/// The sold strike that a bought option stands beside: of its kind and expiration, the nearest.
fn beside(held: &Holding, bought: &Contract) -> Option<Price> {
    held.options()
        .filter(|(c, quantity)| *quantity < 0 && c.kind == bought.kind && c.expiry == bought.expiry)
        .map(|(c, _)| c.strike)
        .min_by_key(|strike| (*strike - bought.strike).abs())
}

fn widened(held: &Holding, strikes: i64, listed: &Listed) -> Result<Holding, Stuck> {
    let wing = |leg: &Leg| {
        let option = leg.instrument.option().filter(|_| leg.quantity > 0);
        option.is_some_and(|c| beside(held, c).is_some())
    };
    if !held.legs().iter().any(wing) {
        return Err(Stuck::Nothing("nothing is bought beside what is sold"));
    }
    let then = each(held, wing, |c, _| {
        let away = match beside(held, c) {
            Some(sold) if sold > c.strike => -strikes,
            _ => strikes,
        };
        listed.moved(c, 0, away)
    })?;
    // A wing that would meet what is sold beside it stays.
    if then.legs().len() == held.legs().len() {
        Ok(then)
    } else {
        Err(Stuck::Same)
    }
}

/// The one sold vertical there is, its sold strike the nearer one to the money: sold, bought, and how
/// many.
fn vertical(held: &Holding) -> Result<(Contract, Contract, i64), Stuck> {
    let options: Vec<(&Contract, i64)> = held.options().collect();
    match options[..] {
        [(a, n), (b, m)] if n == -m && a.kind == b.kind && a.expiry == b.expiry => {
            let (sold, bought) = if n < 0 { (a, b) } else { (b, a) };
            if (sold.kind == Kind::Call) == (sold.strike < bought.strike) {
                Ok((sold.clone(), bought.clone(), n.abs()))
            } else {
                Err(Stuck::Nothing("it is a vertical that was bought"))
            }
        }
        _ => Err(Stuck::Nothing("it is not one vertical")),
    }
}

fn condor(held: &Holding, listed: &Listed) -> Result<Holding, Stuck> {
    let (sold, bought, n) = vertical(held)?;
    let date = listed.place_of(&sold).map(|i| &listed.dates[i]);
    let date = date.ok_or_else(|| Stuck::Unlisted(sold.label()))?;
    let delta = date
        .listed
        .iter()
        .find(|l| l.contract == sold)
        .map(|l| l.delta);
    let delta = delta.ok_or_else(|| Stuck::Unlisted(sold.label()))?;
    let other = date.pick(other(sold.kind), Place::Delta(delta.abs()));
    let other = other.ok_or_else(|| Stuck::Unlisted(sold.label()))?.clone();
    let width = (bought.strike - sold.strike).abs();
    let wing = match other.kind {
        Kind::Call => other.strike + width,
        Kind::Put => other.strike - width,
    };
    let wing = Contract {
        strike: wing,
        ..other.clone()
    };
    let there = date.listed.iter().any(|l| l.contract == wing);
    if !there {
        return Err(Stuck::Unlisted(wing.label()));
    }
    Ok(with(held, [Leg::option(other, -n), Leg::option(wing, n)]))
}

fn butterfly(held: &Holding, listed: &Listed) -> Result<Holding, Stuck> {
    let sold = |kind: Kind| {
        let found = held.options().find(|(c, q)| *q < 0 && c.kind == kind);
        found
            .map(|(c, _)| c.clone())
            .ok_or(Stuck::Nothing("calls and puts must be sold"))
    };
    let (call, put) = (sold(Kind::Call)?, sold(Kind::Put)?);
    let spot = listed.spot;
    let steps = |c: &Contract| steps_between(listed, c, c.strike.to_f64(), spot);
    let (calls, puts) = (steps(&call)?, steps(&put)?);
    each(
        held,
        |_| true,
        |c, _| listed.moved(c, 0, if c.kind == Kind::Call { calls } else { puts }),
    )
}

/// The order that leads from what is held to what would be held then.
pub fn change(held: &Holding, then: &Holding) -> Holding {
    then.plus(&held.reversed())
}

/// What a change closes of what is held, and what it opens.
pub fn closes_and_opens(held: &Holding, change: &Holding) -> (Holding, Holding) {
    let of = |leg: &Leg| {
        let same = held.legs().iter().find(|h| h.instrument == leg.instrument);
        same.map_or(0, |h| h.quantity)
    };
    let closing = |leg: &Leg| {
        let now = of(leg);
        if now.signum() == -leg.quantity.signum() {
            leg.quantity.abs().min(now.abs()) * leg.quantity.signum()
        } else {
            0
        }
    };
    let part = |quantity: &dyn Fn(&Leg) -> i64| {
        Holding::new(change.legs().iter().map(|l| Leg {
            quantity: quantity(l),
            ..l.clone()
        }))
    };
    (part(&closing), part(&|l| l.quantity - closing(l)))
}

/// What a change means beyond its figures.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum Note {
    /// It goes to a later expiration and costs more than it brings.
    #[error("It is rolled for a debit: more is put into what has gone against it.")]
    Debit,
    /// What would be held loses its value at no price: so much at least is owed at its end.
    #[error("At least {} is owed at the end, wherever the price ends.", .0.grouped())]
    Owed(Money),
}

/// What to say of a change at a net price of one package of it.
pub fn notes(held: &Holding, then: &Holding, price: Price, underlying: &Underlying) -> Vec<Note> {
    let (closes, opens) = closes_and_opens(held, &change(held, then));
    let last = |h: &Holding| h.options().map(|(c, _)| c.expiry).max();
    let rolled = last(&closes).is_some_and(|ended| last(&opens) > Some(ended));
    let debit = (rolled && price > Price::ZERO).then_some(Note::Debit);
    debit.into_iter().chain(owed(then, underlying)).collect()
}

/// What is owed at least by options that end together, whatever the price: a sold call below a sold
/// put, for one. Nothing where some price leaves nothing to pay.
fn owed(then: &Holding, underlying: &Underlying) -> Option<Note> {
    if !then.is_one_expiration() || then.underlying_quantity() != 0 {
        return None;
    }
    let worth = profile(then, underlying, 0.0).exact();
    let best = Shape::exact(&worth, underlying.own_tick).most.limited()?;
    (best < Money::ZERO).then_some(Note::Owed(-best))
}
