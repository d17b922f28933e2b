//! One option made ready to be priced at many spots.

use std::sync::LazyLock;

use crate::american::Boundary;
use crate::european::{european, european_price, exercise_value};
use crate::scheme::Scheme;
use crate::terms::{Error, Kind, Style, Terms, Valuation, price_level};

/// How much work an American price may cost. Errors are relative to the strike, over maturities up to three
/// years (measured in `tests/reference.rs`).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Accuracy {
    /// For chains, drafts and positions: about 1e-7, at most 2e-6 in far corners (volatility below 10 %, years).
    Interactive,
    /// For checks and batches: at most 1e-10.
    Reference,
}

static INTERACTIVE: LazyLock<Scheme> = LazyLock::new(|| Scheme::new(8, 10, 4, 0.0, 20));
static REFERENCE: LazyLock<Scheme> = LazyLock::new(|| Scheme::new(32, 40, 40, 1e-14, 56));
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
}

impl Model {
    /// Checks the terms and prepares the engine that covers them.
    pub fn new(terms: &Terms, accuracy: Accuracy) -> Result<Model, Error> {
        terms.check()?;
        let engine = Engine::choose(terms, accuracy)?;
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

    /// Price and all Greeks at `spot`, which must be above zero. Rho holds the spot and the yield fixed.
    pub fn value(&self, spot: f64) -> Result<Valuation, Error> {
        let out = self.value_but_rho(spot)?;
        Ok(Valuation { rho_point: self.derivative(spot, &out, out.rho_point, |t, by| t.rate += by, 1e-5), ..out })
    }

    /// Price and all Greeks of an option on a future at `future`; the yield must equal the rate. Delta is with respect to
    /// the future and rho holds it fixed: only the discounting moves.
    pub fn value_on_future(&self, future: f64) -> Result<Valuation, Error> {
        if self.terms.carry_yield != self.terms.rate {
            return Err(Error::NotAFuture { rate: self.terms.rate, carry_yield: self.terms.carry_yield });
        }
        let out = self.value_but_rho(future)?;
        let european = -self.terms.time * out.price / 100.0;
        let both = |t: &mut Terms, by: f64| {
            t.rate += by;
            t.carry_yield += by;
        };
        Ok(Valuation { rho_point: self.derivative(future, &out, european, both, 1e-5), ..out })
    }

    /// Derivative per 0.01 of an input: known for a European option, zero in the exercise region, else by central
    /// difference, both ends solved from this boundary.
    fn derivative(&self, spot: f64, here: &Valuation, european: f64, change: impl Fn(&mut Terms, f64), by: f64) -> f64 {
        let boundary = match &self.engine {
            Engine::European => return european,
            Engine::Put(_) | Engine::Call(_) if here.gamma == 0.0 => return 0.0,
            Engine::Exercise => return 0.0,
            Engine::Put(b) | Engine::Call(b) => b,
        };
        let (k, mirrored) = (self.terms.strike, self.terms.kind == Kind::Call);
        let at = |by: f64| {
            let mut t = self.terms;
            change(&mut t, by);
            let (rate, carry_yield) = if mirrored { (t.carry_yield, t.rate) } else { (t.rate, t.carry_yield) };
            if rate <= 0.0 {
                return None;
            }
            let b = boundary.nearby(t.time, rate, carry_yield, t.vol, self.accuracy.scheme());
            Some(if mirrored { spot * b.price(k / spot) } else { k * b.price(spot / k) })
        };
        match (at(by), at(-by)) {
            (Some(up), Some(down)) => (up - down) / (2.0 * by) / 100.0,
            // Just above a rate of zero one side has no boundary: one-sided.
            (Some(up), None) => (up - here.price) / by / 100.0,
            _ => 0.0,
        }
    }

    /// As [`Model::value`], but the rho of an American option stays zero: a third of the work less.
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
        };
        let vega_point = self.derivative(spot, &base, base.vega_point, |t, by| t.vol += by, 1e-4_f64.min(t.vol / 2.0));
        Ok(Valuation { vega_point, ..base })
    }
}

impl Accuracy {
    fn scheme(self) -> &'static Scheme {
        match self {
            Accuracy::Interactive => &INTERACTIVE,
            Accuracy::Reference => &REFERENCE,
        }
    }
}

impl Engine {
    /// Which engine is valid for which rates: Andersen, Lake & Offengenden (2016), section 2; for a
    /// call, rate and yield trade places.
    fn choose(t: &Terms, accuracy: Accuracy) -> Result<Engine, Error> {
        let (rate, carry_yield) = match t.kind {
            Kind::Put => (t.rate, t.carry_yield),
            Kind::Call => (t.carry_yield, t.rate),
        };
        if t.time < SHORTEST && t.style == Style::American {
            return Ok(Engine::Exercise);
        }
        let never_early = rate <= 0.0 && carry_yield >= rate;
        if t.style == Style::European || never_early {
            return Ok(Engine::European);
        }
        if rate <= 0.0 {
            return Err(Error::TwoBoundaries { rate: t.rate, carry_yield: t.carry_yield });
        }
        if t.vol * t.time.sqrt() < 1e-4 {
            return Ok(Engine::Exercise);
        }
        let boundary = Boundary::solve(t.time, rate, carry_yield, t.vol, accuracy.scheme());
        Ok(match t.kind {
            Kind::Put => Engine::Put(boundary),
            Kind::Call => Engine::Call(boundary),
        })
    }
}
