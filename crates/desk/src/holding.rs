//! Legs, and what is held: any number of instruments on one underlying, in any quantity.
//!
//! A [`Holding`] is never refused. Whatever values, names, draws or margins something takes a
//! holding, so a position that grew leg by leg beyond what one order may send stays in the book.
//! What may be sent is a [`Package`](crate::Package), which is a holding with limits.

use quant::Kind;

use crate::contract::{Contract, strike_label};
use crate::instrument::Instrument;
use crate::number::Price;

/// So many of one instrument; bought above zero, sold below.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Leg {
    /// The option series, or the underlying.
    pub instrument: Instrument,
    /// Contracts, shares or futures, signed.
    pub quantity: i64,
}

impl Leg {
    /// A leg in options.
    pub fn option(contract: Contract, quantity: i64) -> Leg {
        Leg {
            instrument: Instrument::Option(contract),
            quantity,
        }
    }
}

/// What is held in one underlying: each instrument once, none of them zero; options ascending by
/// expiry, strike and kind, then the underlying. Nothing at all is a holding too.
///
/// ```
/// use desk::{Holding, Instrument, Leg};
/// let shares = |quantity| Leg { instrument: Instrument::Underlying("TEST".into()), quantity };
/// let held = Holding::new([shares(150), shares(-50)]);
/// assert_eq!(held.legs(), [shares(100)]);
/// assert!(Holding::new([shares(1), shares(-1)]).is_empty());
/// ```
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Holding {
    legs: Vec<Leg>,
}

impl Holding {
    /// Nets equal instruments, drops what cancels and sorts. Quantities saturate at the ends of
    /// their range, far beyond any account.
    pub fn new(legs: impl IntoIterator<Item = Leg>) -> Holding {
        let mut netted: Vec<Leg> = Vec::new();
        for leg in legs {
            match netted.iter_mut().find(|l| l.instrument == leg.instrument) {
                Some(same) => same.quantity = same.quantity.saturating_add(leg.quantity),
                None => netted.push(leg),
            }
        }
        netted.retain(|l| l.quantity != 0);
        netted.sort_by(
            |a, b| match (a.instrument.option(), b.instrument.option()) {
                (Some(x), Some(y)) => (x.expiry, x.strike, x.kind, &x.root)
                    .cmp(&(y.expiry, y.strike, y.kind, &y.root)),
                _ => a.instrument.cmp(&b.instrument),
            },
        );
        Holding { legs: netted }
    }

    /// Whether nothing is held.
    pub fn is_empty(&self) -> bool {
        self.legs.is_empty()
    }

    /// The legs, in canonical order.
    pub fn legs(&self) -> &[Leg] {
        &self.legs
    }

    /// The option legs: series and signed contracts.
    pub fn options(&self) -> impl Iterator<Item = (&Contract, i64)> {
        self.legs
            .iter()
            .filter_map(|l| Some((l.instrument.option()?, l.quantity)))
    }

    /// Shares or futures, signed; zero where there are none.
    pub fn underlying_quantity(&self) -> i64 {
        self.legs
            .iter()
            .filter(|l| l.instrument.option().is_none())
            .map(|l| l.quantity)
            .sum()
    }

    /// How many packages this is: the greatest common divisor of the quantities, one where nothing
    /// is held. 4 bought and 8 sold are four packages of one against two.
    pub fn packages(&self) -> i64 {
        self.legs
            .iter()
            .fold(0, |g, l| gcd(g, l.quantity.saturating_abs()))
            .max(1)
    }

    /// One package: the same legs in lowest integer ratio.
    pub fn unit(&self) -> Holding {
        let n = self.packages();
        self.each(|q| q / n)
    }

    /// The other side: everything bought is sold and the reverse.
    pub fn reversed(&self) -> Holding {
        self.times(-1)
    }

    /// So many of each leg; negative is the other side. Zero is not meaningful and gives one.
    pub fn times(&self, n: i64) -> Holding {
        let n = if n == 0 { 1 } else { n };
        self.each(|q| q.saturating_mul(n))
    }

    /// The right that the price presses: the one whose sold strike is nearer to it, of two as near the
    /// lower strike's. Nothing where no option is sold.
    pub fn pressed(&self, spot: Price) -> Option<Kind> {
        let sold = self.options().filter(|(_, quantity)| *quantity < 0);
        let nearest = sold.min_by_key(|(c, _)| ((c.strike - spot).abs(), c.strike));
        nearest.map(|(c, _)| c.kind)
    }

    /// Adds what another holding has; legs that cancel are gone.
    pub fn plus(&self, more: &Holding) -> Holding {
        Holding::new(self.legs.iter().chain(&more.legs).cloned())
    }

    fn each(&self, quantity: impl Fn(i64) -> i64) -> Holding {
        let legs = self.legs.iter().map(|l| Leg {
            quantity: quantity(l.quantity),
            ..l.clone()
        });
        Holding {
            legs: legs.collect(),
        }
    }

    /// Whether all options end at one moment: on one date, under one root (the root decides whether
    /// a series settles on opening or on closing prices).
    pub fn is_one_expiration(&self) -> bool {
        let ends = |c: &Contract| (c.expiry, c.root.clone());
        let mut all = self.options().map(|(c, _)| ends(c));
        let first = all.next();
        all.all(|end| Some(end) == first)
    }

    /// Whether nothing but the underlying is held.
    pub fn is_underlying_alone(&self) -> bool {
        self.options().next().is_none()
    }

    /// "205/200 · 175/165": strikes from high to low, calls before puts, unequal ratios marked;
    /// nothing for the underlying alone.
    pub fn strikes_label(&self) -> String {
        let ratio = self.options().fold(0, |g, (_, n)| gcd(g, n.abs())).max(1);
        let side = |kind: Kind| {
            let mut legs: Vec<(&Contract, i64)> =
                self.options().filter(|(c, _)| c.kind == kind).collect();
            legs.reverse();
            legs.iter()
                .map(|(c, n)| match n.abs() / ratio {
                    1 => strike_label(c.strike),
                    n => format!("{n}×{}", strike_label(c.strike)),
                })
                .collect::<Vec<_>>()
                .join("/")
        };
        let (calls, puts) = (side(Kind::Call), side(Kind::Put));
        if calls.is_empty() || puts.is_empty() || calls == puts {
            if calls.is_empty() { puts } else { calls }
        } else {
            format!("{calls} · {puts}")
        }
    }
}

impl FromIterator<Leg> for Holding {
    fn from_iter<I: IntoIterator<Item = Leg>>(legs: I) -> Holding {
        Holding::new(legs)
    }
}

/// Greatest common divisor (Euclid).
pub(crate) fn gcd(a: i64, b: i64) -> i64 {
    if b == 0 { a } else { gcd(b, a % b) }
}
