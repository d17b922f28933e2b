//! One option made ready to be priced at many spots.

use std::sync::LazyLock;

use crate::american::{Boundary, Scheme};
use crate::european::{european, european_price, exercise_value};
use crate::lattice::leisen_reimer;
use crate::terms::{Error, Kind, Style, Terms, Valuation, price_level, within};

/// How much work an American price may cost. Errors are for strike 100, over maturities up to
/// three years (measured in `tests/american.rs`).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Accuracy {
    /// For whole chains: worst about 2e-3, typically 1e-4.
    Chain,
    /// For drafts and positions: worst about 5e-4, typically 3e-5.
    Analysis,
    /// For checks: worst about 2e-5.
    Reference,
}

static CHAIN: LazyLock<Scheme> = LazyLock::new(|| Scheme::new(7, 2, 7, 27));
static ANALYSIS: LazyLock<Scheme> = LazyLock::new(|| Scheme::new(12, 3, 10, 20));
static REFERENCE: LazyLock<Scheme> = LazyLock::new(|| Scheme::new(32, 8, 16, 64));
const LATTICE_STEPS: usize = 501;
/// One minute, the shortest time worth a model.
const SHORTEST: f64 = 1.0 / 525_600.0;

/// A priced option. Building it solves the exercise boundary where there is one; after that each
/// spot is cheap.
#[derive(Debug, Clone)]
pub struct Model {
    terms: Terms,
    accuracy: Accuracy,
    engine: Engine,
}

#[derive(Debug, Clone)]
enum Engine {
    /// At expiry, or without volatility on an American: exercise value.
    Exercise,
    European,
    Put(Boundary),
    /// A call through the mirrored put.
    Call(Boundary),
    Lattice,
}

impl Model {
    /// Checks the terms and prepares the engine that covers them.
    pub fn new(terms: &Terms, accuracy: Accuracy) -> Result<Model, Error> {
        terms.check()?;
        let engine = Engine::choose(terms, accuracy);
        if matches!(engine, Engine::Lattice) {
            // Beyond it the lattice's outermost prices overflow.
            within("volatility × √time of an American option at negative rates", terms.vol * terms.time.sqrt(), 0.0, 10.0)?;
        }
        Ok(Model { terms: *terms, accuracy, engine })
    }

    /// The terms this model prices.
    pub fn terms(&self) -> &Terms {
        &self.terms
    }

    /// Price per unit at `spot`. A spot of zero or below gives the value of a worthless underlying.
    pub fn price(&self, spot: f64) -> f64 {
        let t = &self.terms;
        let k = t.strike;
        if spot <= 0.0 {
            return self.worthless_underlying();
        }
        match &self.engine {
            Engine::Exercise => t.kind.intrinsic(spot, k),
            Engine::European => european_price(t, spot),
            Engine::Put(b) => k * b.price(spot / k),
            Engine::Call(b) => spot * b.price(k / spot),
            Engine::Lattice => leisen_reimer(t, spot, LATTICE_STEPS),
        }
    }

    fn worthless_underlying(&self) -> f64 {
        let t = &self.terms;
        match (t.kind, &self.engine) {
            (Kind::Call, _) => 0.0,
            (Kind::Put, Engine::European) => t.strike * (-t.rate * t.time).exp(),
            (Kind::Put, _) => t.strike,
        }
    }

    /// Price and all Greeks at `spot`, which must be above zero.
    pub fn value(&self, spot: f64) -> Result<Valuation, Error> {
        let out = self.value_but_rho(spot)?;
        if out.gamma == 0.0 || matches!(self.engine, Engine::European) {
            return Ok(out);
        }
        let bump: fn(&mut Terms, f64) = if self.terms.carry_yield == self.terms.rate {
            |t, by| {
                t.rate += by;
                t.carry_yield += by;
            }
        } else {
            |t, by| t.rate += by
        };
        Ok(Valuation { rho_point: self.bumped(spot, bump, 1e-4), ..out })
    }

    /// Derivative per 0.01 of an input, by central difference; both ends solve their own boundary.
    fn bumped(&self, spot: f64, change: fn(&mut Terms, f64), by: f64) -> f64 {
        // The error of a coarser scheme hardly changes over so small a step: it cancels.
        let accuracy = if self.accuracy == Accuracy::Reference { Accuracy::Analysis } else { Accuracy::Chain };
        let at = |by: f64| {
            let mut terms = self.terms;
            change(&mut terms, by);
            Model { terms, accuracy, engine: Engine::choose(&terms, accuracy) }.price(spot)
        };
        (at(by) - at(-by)) / (2.0 * by) / 100.0
    }

    /// As [`Model::value`], but the rho of an American option stays zero: half the work.
    pub fn value_but_rho(&self, spot: f64) -> Result<Valuation, Error> {
        let spot = price_level("spot", spot)?;
        let t = &self.terms;
        let k = t.strike;
        let base = match &self.engine {
            Engine::Exercise => return Ok(exercise_value(t.kind, spot, k)),
            Engine::European => return Ok(european(t, spot)),
            Engine::Put(b) => {
                let v = b.value(spot / k);
                Valuation { price: k * v.price, gamma: v.gamma / k, theta_day: k * v.theta_day, ..v }
            }
            Engine::Call(b) => {
                let x = k / spot;
                let v = b.value(x);
                Valuation { price: spot * v.price, delta: v.price - x * v.delta, gamma: x * x * v.gamma / spot, theta_day: spot * v.theta_day, ..v }
            }
            Engine::Lattice => self.lattice_value(spot),
        };
        if base.gamma == 0.0 {
            return Ok(base); // in the exercise region nothing but the spot moves the price
        }
        Ok(Valuation { vega_point: self.bumped(spot, |t, by| t.vol += by, (1e-3_f64).min(t.vol / 2.0)), ..base })
    }

    fn lattice_value(&self, spot: f64) -> Valuation {
        let h = spot * 0.01;
        let at = |s: f64| leisen_reimer(&self.terms, s, LATTICE_STEPS);
        let (down, mid, up) = (at(spot - h), at(spot), at(spot + h));
        let (delta, gamma) = ((up - down) / (2.0 * h), (up - 2.0 * mid + down) / (h * h));
        let t = &self.terms;
        let theta = t.rate * mid - (t.rate - t.carry_yield) * spot * delta - 0.5 * t.vol * t.vol * spot * spot * gamma;
        Valuation { price: mid, delta, gamma, theta_day: theta / 365.0, ..Valuation::default() }
    }
}

impl Engine {
    /// Which engine is valid for which rates: Andersen, Lake & Offengenden (2016), section 2; for a
    /// call, rate and yield trade places.
    fn choose(t: &Terms, accuracy: Accuracy) -> Engine {
        let (rate, carry_yield) = match t.kind {
            Kind::Put => (t.rate, t.carry_yield),
            Kind::Call => (t.carry_yield, t.rate),
        };
        if t.time < SHORTEST {
            return match t.style {
                Style::American => Engine::Exercise,
                Style::European => Engine::European,
            };
        }
        let never_early = rate <= 0.0 && carry_yield >= rate;
        if t.style == Style::European || never_early {
            return Engine::European;
        }
        if t.vol * t.time.sqrt() < 1e-4 {
            return Engine::Exercise;
        }
        if rate <= 0.0 {
            return Engine::Lattice;
        }
        let scheme = match accuracy {
            Accuracy::Chain => &*CHAIN,
            Accuracy::Analysis => &*ANALYSIS,
            Accuracy::Reference => &*REFERENCE,
        };
        let boundary = Boundary::solve(t.time, rate, carry_yield, t.vol, scheme);
        match t.kind {
            Kind::Put => Engine::Put(boundary),
            Kind::Call => Engine::Call(boundary),
        }
    }
}
