//! Many options at once: the same numbers as one by one, several times faster.
//!
//! Options with an exercise boundary are laid side by side in the lanes of `american`, each with
//! the four neighbours that give its vega and rho; European ones go through the lanes of
//! `european`. What a row gives does not depend on its neighbours or on their order (tested), so
//! callers may cut a list anywhere and work on the parts in parallel.

use rayon::prelude::*;

use crate::american::PutValue;
use crate::boundary::{Boundaries, Put};
use crate::european::{europeans, still_value};
use crate::model::{Accuracy, Bumps, Engine, PricedOn, on_future, strained};
use crate::scheme::WIDTH;
use crate::terms::{Error, Terms, Valuation, price_level};

/// One option in its market.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Vanilla {
    /// What is priced: strike, time, rate and carry.
    pub terms: Terms,
    /// Price of the underlying, above zero.
    pub spot: f64,
    /// What the underlying is: decides what rho holds.
    pub on: PricedOn,
}

impl Vanilla {
    /// What covers it, or why nothing does.
    pub(crate) fn engine(&self) -> Result<Engine, Error> {
        price_level("spot", self.spot)?;
        let t = &self.terms;
        if self.on == PricedOn::Future && t.carry_yield != t.rate {
            return Err(Error::NotAFuture {
                rate: t.rate,
                carry_yield: t.carry_yield,
            });
        }
        Engine::of(t)
    }
}

/// The answers of a list to be filled in, those of options that only exercise is worth anything to
/// already there; and the places of those without and with an exercise boundary.
struct Sorted<T> {
    out: Vec<Result<T, Error>>,
    plain: Vec<usize>,
    early: Vec<usize>,
}

impl<T: Default> Sorted<T> {
    fn of(contracts: &[Vanilla], exercised: impl Fn(&Vanilla) -> T) -> Sorted<T> {
        let mut sorted = Sorted {
            out: Vec::with_capacity(contracts.len()),
            plain: Vec::new(),
            early: Vec::new(),
        };
        for (i, c) in contracts.iter().enumerate() {
            sorted.out.push(c.engine().map(|engine| {
                match engine {
                    Engine::European => sorted.plain.push(i),
                    Engine::Boundary => sorted.early.push(i),
                    Engine::Exercise => return exercised(c),
                }
                T::default()
            }));
        }
        sorted
    }

    /// Fills in the European ones.
    fn europeans(&mut self, contracts: &[Vanilla], of: impl Fn(&Vanilla, Valuation) -> T) {
        let rows: Vec<(Terms, f64)> = self
            .plain
            .iter()
            .map(|i| (contracts[*i].terms, contracts[*i].spot))
            .collect();
        for (i, v) in self.plain.iter().zip(europeans(&rows)) {
            self.out[*i] = Ok(of(&contracts[*i], v));
        }
    }
}

/// Price and Greeks of each contract, or why it has none.
///
/// ```
/// use quant::{Accuracy, Kind, PricedOn, Style, Terms, Vanilla, value_all};
/// let terms = Terms {
///     kind: Kind::Put,
///     style: Style::American,
///     strike: 100.0,
///     time: 0.25,
///     rate: 0.05,
///     carry_yield: 0.0,
///     vol: 0.20,
/// };
/// let at = |spot| Vanilla { terms, spot, on: PricedOn::Spot };
/// let values = value_all(&[at(95.0), at(105.0), at(-1.0)], Accuracy::Interactive);
/// assert!(values[0].as_ref().is_ok_and(|v| v.price > 5.0));
/// // What cannot be priced is told at its place; the others stand.
/// assert!(values[1].is_ok() && values[2].is_err());
/// ```
pub fn value_all(contracts: &[Vanilla], accuracy: Accuracy) -> Vec<Result<Valuation, Error>> {
    let mut sorted = Sorted::of(contracts, |c| {
        on_future(&c.terms, still_value(&c.terms, c.spot), c.on)
    });
    sorted.europeans(contracts, |c, v| on_future(&c.terms, v, c.on));
    let bumps: Vec<Bumps> = sorted
        .early
        .iter()
        .map(|i| Bumps::of(&contracts[*i].terms, contracts[*i].on))
        .collect();
    let lanes: Vec<Lane> = sorted
        .early
        .iter()
        .zip(&bumps)
        .flat_map(|(i, bumps)| {
            let c = &contracts[*i];
            let mut lanes = bumps.puts.map(|put| Lane {
                put,
                ..Lane::of(&c.terms, c.spot)
            });
            lanes[0].refined = true;
            lanes
        })
        .collect();
    let values = values(&lanes, accuracy);
    let (five, _) = values.as_chunks::<5>();
    for ((i, bumps), five) in sorted.early.iter().zip(bumps).zip(five) {
        sorted.out[*i] = Ok(bumps.valuation(&contracts[*i].terms, contracts[*i].spot, five));
    }
    sorted.out
}

/// As [`value_all`], on all cores: for a whole universe of contracts.
pub fn value_universe(contracts: &[Vanilla], accuracy: Accuracy) -> Vec<Result<Valuation, Error>> {
    contracts
        .par_chunks(256)
        .flat_map_iter(|part| value_all(part, accuracy))
        .collect()
}

/// Prices alone: a fifth of the work for options with an exercise boundary.
///
/// ```
/// use quant::{Accuracy, Kind, PricedOn, Style, Terms, Vanilla, price_all};
/// let terms = Terms {
///     kind: Kind::Put,
///     style: Style::American,
///     strike: 100.0,
///     time: 0.25,
///     rate: 0.05,
///     carry_yield: 0.0,
///     vol: 0.20,
/// };
/// let at = |spot| Vanilla { terms, spot, on: PricedOn::Spot };
/// let prices: Result<Vec<f64>, _> = price_all(&[at(95.0), at(100.0)], Accuracy::Interactive).into_iter().collect();
/// let prices = prices?;
/// assert!(prices[0] > prices[1] && prices[0] >= 5.0);
/// # Ok::<(), quant::Error>(())
/// ```
pub fn price_all(contracts: &[Vanilla], accuracy: Accuracy) -> Vec<Result<f64, Error>> {
    let mut sorted = Sorted::of(contracts, |c| still_value(&c.terms, c.spot).price);
    sorted.europeans(contracts, |_, v| v.price);
    let lanes: Vec<Lane> = sorted
        .early
        .iter()
        .map(|i| Lane::of(&contracts[*i].terms, contracts[*i].spot))
        .collect();
    for (i, v) in sorted.early.iter().zip(values(&lanes, accuracy)) {
        let c = &contracts[*i];
        sorted.out[*i] = Ok(Bumps::unit(&c.terms, c.spot) * v.price);
    }
    sorted.out
}

/// One put of strike 1 to solve and its x = spot/strike.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Lane {
    pub put: Put,
    pub x: f64,
    /// Which scheme solves it.
    pub strained: bool,
    /// Whether delta and gamma are wanted near the boundary.
    pub refined: bool,
}

impl Lane {
    /// The mirrored put of an option with a boundary.
    pub(crate) fn of(t: &Terms, spot: f64) -> Lane {
        Lane {
            put: Bumps::put(t),
            x: Bumps::moneyness(t, spot),
            strained: strained(t),
            refined: false,
        }
    }
}

/// Values of puts of strike 1: those that take the same path through the solver go side by side.
pub(crate) fn values(lanes: &[Lane], accuracy: Accuracy) -> Vec<PutValue> {
    let mut out = vec![PutValue::default(); lanes.len()];
    for (strained, pays) in [(false, false), (false, true), (true, false), (true, true)] {
        let alike: Vec<usize> = (0..lanes.len())
            .filter(|i| {
                lanes[*i].strained == strained && (lanes[*i].put.carry_yield != 0.0) == pays
            })
            .collect();
        for block in alike.chunks(WIDTH) {
            let puts: Vec<Put> = block.iter().map(|i| lanes[*i].put).collect();
            let mut x = [1.0; WIDTH];
            for (x, i) in x.iter_mut().zip(block) {
                *x = lanes[*i].x;
            }
            let boundaries = Boundaries::solve(&puts, accuracy.scheme(strained));
            for ((l, i), value) in block.iter().enumerate().zip(boundaries.values(&x)) {
                out[*i] = value;
                if lanes[*i].refined {
                    boundaries.refine(l, lanes[*i].x, &mut out[*i]);
                }
            }
        }
    }
    out
}
