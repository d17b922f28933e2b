//! One option made ready to be priced at many spots.

use std::sync::LazyLock;

use crate::american::PutValue;
use crate::boundary::{Boundaries, Put};
use crate::european::{european, european_price, still_value};
use crate::scheme::{Scheme, WIDTH};
use crate::terms::{Error, Kind, Style, Terms, Valuation, price_level};

/// How much work an American price may cost. Errors are relative to the strike, over maturities up
/// to three years (measured in `tests/reference.rs`).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Accuracy {
    /// For chains, drafts and positions: about 1e-7; up to 1e-5 in far corners (20 % carry at 5 %
    /// volatility, 150 % volatility).
    Interactive,
    /// For checks and batches: at most 1e-10.
    Reference,
}

static INTERACTIVE: LazyLock<Scheme> = LazyLock::new(|| Scheme::new(8, 6, 3, 0.0, 20, 1.0));
/// Where the carry is strong against the volatility, system B serves the far nodes and more is
/// needed.
static INTERACTIVE_STRAINED: LazyLock<Scheme> =
    LazyLock::new(|| Scheme::new(8, 10, 4, 0.0, 24, 1.0));
static REFERENCE: LazyLock<Scheme> = LazyLock::new(|| Scheme::new(32, 40, 40, 1e-14, 56, 0.4));
/// One minute, the shortest time worth a model.
const SHORTEST: f64 = 1.0 / 525_600.0;

impl Accuracy {
    /// What solves an option whose carry is strained, or not.
    pub(crate) fn scheme(self, strained: bool) -> &'static Scheme {
        match self {
            Accuracy::Interactive if strained => &INTERACTIVE_STRAINED,
            Accuracy::Interactive => &INTERACTIVE,
            Accuracy::Reference => &REFERENCE,
        }
    }
}

/// Whether system B serves any part of the boundary.
pub(crate) fn strained(t: &Terms) -> bool {
    (t.rate - t.carry_yield).abs() * t.time.sqrt() >= 0.5 * t.vol
}

/// What covers an option.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Engine {
    /// Within a minute of expiry, or without volatility, on an American: exercise at the best
    /// moment.
    Exercise,
    European,
    /// Early exercise has a boundary.
    Boundary,
}

impl Engine {
    /// Which engine is valid for which rates: Andersen, Lake & Offengenden (2016), section 2; for a
    /// call, rate and yield trade places.
    pub(crate) fn of(t: &Terms) -> Result<Engine, Error> {
        t.check()?;
        let (rate, carry_yield) = mirrored(t.kind, t.rate, t.carry_yield);
        if t.time < SHORTEST && t.style == Style::American {
            return Ok(Engine::Exercise);
        }
        let never_early = rate <= 0.0 && carry_yield >= rate;
        if t.style == Style::European || never_early {
            return Ok(Engine::European);
        }
        if rate < 0.0 {
            return Err(Error::TwoBoundaries {
                rate: t.rate,
                carry_yield: t.carry_yield,
            });
        }
        if t.vol * t.time.sqrt() < 1e-4 {
            return Ok(Engine::Exercise);
        }
        Ok(Engine::Boundary)
    }
}

/// Without interest a put whose yield is below zero has a boundary all the same: the limit of
/// those of small rates. So small a rate is worth less than the reference accuracy.
const LEAST_RATE: f64 = 1e-12;

/// Rate and yield of the put that mirrors an option of this kind.
fn mirrored(kind: Kind, rate: f64, carry_yield: f64) -> (f64, f64) {
    match kind {
        Kind::Put => (rate, carry_yield),
        Kind::Call => (carry_yield, rate),
    }
}

/// How an option's price answers to rate and yield: what is held fixed when the rate moves.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PricedOn {
    /// The spot and its yield are held.
    Spot,
    /// The future is held: rate and yield move together. The yield must equal the rate.
    Future,
}

/// One option and the four neighbours that its vega and rho are differences of: lanes of
/// `Boundaries`.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Bumps {
    pub puts: [Put; 5],
    /// Half the distance between the neighbours in volatility and in rate.
    pub vol_step: f64,
    pub rate_step: f64,
}

impl Bumps {
    /// The mirrored put of an option with a boundary and its neighbours.
    pub(crate) fn of(t: &Terms, on: PricedOn) -> Bumps {
        let vol_step = 1e-4_f64.min(t.vol / 2.0);
        let base = Bumps::put(t);
        // The mirrored rate must stay above zero.
        let moves = on == PricedOn::Future || t.kind == Kind::Put;
        // Next to it the difference is taken on one side.
        let edge = moves && base.rate < 1e-5;
        let rate_step = if edge { 5e-6 } else { 1e-5 };
        let aside = if edge { rate_step } else { 0.0 };
        let put = |vol: f64, by: f64| {
            let yield_too = if on == PricedOn::Future { by } else { 0.0 };
            let (rate, carry_yield) = mirrored(t.kind, t.rate + by, t.carry_yield + yield_too);
            Put {
                rate: rate.max(LEAST_RATE),
                carry_yield,
                vol: t.vol + vol,
                ..base
            }
        };
        let puts = [
            put(0.0, 0.0),
            put(vol_step, 0.0),
            put(-vol_step, 0.0),
            put(0.0, aside + rate_step),
            put(0.0, aside - rate_step),
        ];
        Bumps {
            puts,
            vol_step,
            rate_step,
        }
    }

    /// The mirrored put alone.
    pub(crate) fn put(t: &Terms) -> Put {
        let (rate, carry_yield) = mirrored(t.kind, t.rate, t.carry_yield);
        Put {
            time: t.time,
            rate: rate.max(LEAST_RATE),
            carry_yield,
            vol: t.vol,
            pull: (t.rate - t.carry_yield).abs() / t.vol,
        }
    }

    /// What the mirrored put's price is counted in.
    pub(crate) fn unit(t: &Terms, spot: f64) -> f64 {
        if t.kind == Kind::Put { t.strike } else { spot }
    }

    /// x of the mirrored put at `spot`.
    pub(crate) fn moneyness(t: &Terms, spot: f64) -> f64 {
        if t.kind == Kind::Put {
            spot / t.strike
        } else {
            t.strike / spot
        }
    }

    /// Price, delta and gamma of the option whose mirrored put is worth `put`.
    pub(crate) fn unmirrored(t: &Terms, spot: f64, put: &PutValue) -> PutValue {
        let price = Bumps::unit(t, spot) * put.price;
        match t.kind {
            Kind::Put => PutValue {
                price,
                delta: put.delta,
                gamma: put.gamma / t.strike,
            },
            Kind::Call => {
                let x = t.strike / spot;
                PutValue {
                    price,
                    delta: put.price - x * put.delta,
                    gamma: x * x * put.gamma / spot,
                }
            }
        }
    }

    /// The option's own price and Greeks from those of the five puts.
    pub(crate) fn valuation(&self, t: &Terms, spot: f64, lanes: &[PutValue; 5]) -> Valuation {
        let [base, vol_up, vol_down, rate_up, rate_down] = *lanes;
        let unit = Bumps::unit(t, spot);
        let PutValue {
            price,
            delta,
            gamma,
        } = Bumps::unmirrored(t, spot, &base);
        if base.gamma == 0.0 {
            // Exercised: nothing moves but the underlying.
            return Valuation {
                price,
                delta,
                ..Valuation::default()
            };
        }
        // The pricing equation gives theta.
        let theta = t.rate * price
            - (t.rate - t.carry_yield) * spot * delta
            - 0.5 * t.vol * t.vol * spot * spot * gamma;
        Valuation {
            price,
            delta,
            gamma,
            theta_day: theta / 365.0,
            vega_point: unit * (vol_up.price - vol_down.price) / (2.0 * self.vol_step) / 100.0,
            rho_point: unit * (rate_up.price - rate_down.price) / (2.0 * self.rate_step) / 100.0,
        }
    }
}

/// Worth far above every strike: slope × price + level.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Tail {
    /// Per unit of price.
    pub slope: f64,
    /// What is added to slope × price, in the unit of the price.
    pub level: f64,
}

/// A priced option. Building it solves the exercise boundary where there is one; after that each
/// spot is cheap.
#[derive(Debug, Clone)]
pub struct Model {
    terms: Terms,
    engine: Engine,
    /// The option, and its neighbours on a spot and on a future.
    boundaries: Option<Boundaries>,
}

/// Lanes of a model: the five of an option on a spot, then the two more of an option on a future.
fn lanes(t: &Terms) -> Vec<Put> {
    let on_future = Bumps::of(t, PricedOn::Future).puts;
    let more: &[Put] = if t.rate == t.carry_yield {
        &on_future[3..]
    } else {
        &[]
    };
    Bumps::of(t, PricedOn::Spot)
        .puts
        .into_iter()
        .chain(more.iter().copied())
        .collect()
}

impl Model {
    /// Checks the terms and prepares the engine that covers them.
    ///
    /// # Errors
    /// Terms out of range, or rates at which exercise has two boundaries.
    pub fn new(terms: &Terms, accuracy: Accuracy) -> Result<Model, Error> {
        let engine = Engine::of(terms)?;
        let boundaries = (engine == Engine::Boundary)
            .then(|| Boundaries::solve(&lanes(terms), accuracy.scheme(strained(terms))));
        Ok(Model {
            terms: *terms,
            engine,
            boundaries,
        })
    }

    /// The terms this model prices.
    pub fn terms(&self) -> &Terms {
        &self.terms
    }

    /// Price per unit at `spot`. A spot of zero or below gives the value of a worthless underlying.
    ///
    /// ```
    /// // A put that may be exercised early is worth more than one that may not.
    /// use quant::{Accuracy, Kind, Model, Style, Terms};
    /// let terms = Terms {
    ///     kind: Kind::Put,
    ///     style: Style::American,
    ///     strike: 50.0,
    ///     time: 5.0 / 12.0,
    ///     rate: 0.10,
    ///     carry_yield: 0.0,
    ///     vol: 0.40,
    /// };
    /// let american = Model::new(&terms, Accuracy::Interactive)?.price(50.0);
    /// let european = Terms { style: Style::European, ..terms };
    /// let european = Model::new(&european, Accuracy::Interactive)?.price(50.0);
    /// // Hull's lattices come to 4.28 (from memory), the formula without early exercise to 4.08.
    /// assert!((american - 4.28).abs() < 0.01 && (european - 4.08).abs() < 0.01);
    /// # Ok::<(), quant::Error>(())
    /// ```
    pub fn price(&self, spot: f64) -> f64 {
        let mut out = [0.0];
        self.prices(&[spot], &mut out);
        out[0]
    }

    /// As [`Model::price`] at many spots, for much less than one by one. `out` is as long as
    /// `spots`.
    ///
    /// ```
    /// use quant::{Accuracy, Kind, Model, Style, Terms};
    /// let terms = Terms {
    ///     kind: Kind::Put,
    ///     style: Style::American,
    ///     strike: 100.0,
    ///     time: 0.25,
    ///     rate: 0.05,
    ///     carry_yield: 0.0,
    ///     vol: 0.20,
    /// };
    /// let model = Model::new(&terms, Accuracy::Interactive)?;
    /// let (spots, mut prices) = ([70.0, 100.0, 130.0], [0.0; 3]);
    /// model.prices(&spots, &mut prices);
    /// assert!((prices[0] - 30.0).abs() < 1e-9 && prices[1] > prices[2]);
    /// # Ok::<(), quant::Error>(())
    /// ```
    pub fn prices(&self, spots: &[f64], out: &mut [f64]) {
        assert_eq!(spots.len(), out.len(), "one place for each spot");
        let t = &self.terms;
        match (&self.boundaries, self.engine) {
            (Some(b), _) => {
                let x: Vec<f64> = spots
                    .iter()
                    .map(|s| {
                        if *s > 0.0 {
                            Bumps::moneyness(t, *s)
                        } else {
                            1.0
                        }
                    })
                    .collect();
                b.prices(0, &x, out);
                for (price, spot) in out.iter_mut().zip(spots) {
                    *price *= Bumps::unit(t, *spot);
                }
            }
            (None, Engine::European) => {
                for (price, spot) in out.iter_mut().zip(spots) {
                    *price = european_price(t, *spot);
                }
            }
            (None, _) => {
                for (price, spot) in out.iter_mut().zip(spots) {
                    *price = still_value(t, *spot).price;
                }
            }
        }
        for (price, spot) in out.iter_mut().zip(spots) {
            if *spot <= 0.0 {
                *price = self.worthless_underlying();
            }
        }
    }

    /// What the option is worth far above its strike. A put is worth nothing there; a call what its
    /// exercise pays where it is exercised early, else what its forward is worth.
    pub fn tail(&self) -> Tail {
        let t = &self.terms;
        match (t.kind, self.engine) {
            (Kind::Put, _) => Tail::default(),
            (Kind::Call, Engine::European) => Tail {
                slope: (-t.carry_yield * t.time).exp(),
                level: -t.strike * (-t.rate * t.time).exp(),
            },
            (Kind::Call, _) => Tail {
                slope: 1.0,
                level: -t.strike,
            },
        }
    }

    fn worthless_underlying(&self) -> f64 {
        let t = &self.terms;
        match (t.kind, self.engine) {
            (Kind::Call, _) => 0.0,
            (Kind::Put, Engine::European) => t.strike * (-t.rate * t.time).exp(),
            (Kind::Put, _) => t.strike,
        }
    }

    /// Price and all Greeks at `spot`, which must be above zero. Rho holds the spot and the yield fixed.
    ///
    /// ```
    /// use quant::{Accuracy, Kind, Model, Style, Terms};
    /// let terms = Terms {
    ///     kind: Kind::Put,
    ///     style: Style::American,
    ///     strike: 100.0,
    ///     time: 0.25,
    ///     rate: 0.05,
    ///     carry_yield: 0.0,
    ///     vol: 0.20,
    /// };
    /// let model = Model::new(&terms, Accuracy::Interactive)?;
    /// // Far below the strike nothing is better than to exercise it: it moves like a share sold.
    /// let deep = model.value(70.0)?;
    /// assert!((deep.price - 30.0).abs() < 1e-12 && (deep.delta, deep.gamma) == (-1.0, 0.0));
    /// # Ok::<(), quant::Error>(())
    /// ```
    ///
    /// # Errors
    /// A spot out of range.
    pub fn value(&self, spot: f64) -> Result<Valuation, Error> {
        self.value_on(spot, PricedOn::Spot)
    }

    /// Price and all Greeks at a price of the underlying, which must be above zero. On a spot rho holds
    /// the spot and the yield fixed. On a future delta is with respect to the future, the yield must equal
    /// the rate, and rho holds the future fixed: only the discounting moves.
    ///
    /// ```
    /// use quant::{Accuracy, Kind, Model, PricedOn, Style, Terms};
    /// // A call on a future: a higher rate takes from its price alone, it does not lift the future.
    /// let terms = Terms {
    ///     kind: Kind::Call,
    ///     style: Style::European,
    ///     strike: 70.0,
    ///     time: 0.25,
    ///     rate: 0.05,
    ///     carry_yield: 0.05,
    ///     vol: 0.30,
    /// };
    /// let model = Model::new(&terms, Accuracy::Interactive)?;
    /// let (on_future, on_spot) = (model.value_on(70.0, PricedOn::Future)?, model.value(70.0)?);
    /// assert!(on_future.rho_point < 0.0 && on_spot.rho_point > 0.0);
    /// # Ok::<(), quant::Error>(())
    /// ```
    ///
    /// # Errors
    /// A price out of range; on a future a yield that is not the rate.
    pub fn value_on(&self, price: f64, on: PricedOn) -> Result<Valuation, Error> {
        if on == PricedOn::Future && self.terms.carry_yield != self.terms.rate {
            return Err(Error::NotAFuture {
                rate: self.terms.rate,
                carry_yield: self.terms.carry_yield,
            });
        }
        self.valued(price, on)
    }

    fn valued(&self, spot: f64, on: PricedOn) -> Result<Valuation, Error> {
        let spot = price_level("spot", spot)?;
        let t = &self.terms;
        let Some(b) = &self.boundaries else {
            return Ok(if self.engine == Engine::European {
                on_future(t, european(t, spot), on)
            } else {
                on_future(t, still_value(t, spot), on)
            });
        };
        let bumps = Bumps::of(t, on);
        let x = Bumps::moneyness(t, spot);
        let mut lanes = b.values(&[x; WIDTH]);
        b.refine(0, x, &mut lanes[0]);
        let rates = if on == PricedOn::Future { 5 } else { 3 };
        Ok(bumps.valuation(
            t,
            spot,
            &[lanes[0], lanes[1], lanes[2], lanes[rates], lanes[rates + 1]],
        ))
    }
}

/// A European value as it is on this underlying: on a future, rho holds the future.
pub(crate) fn on_future(t: &Terms, v: Valuation, on: PricedOn) -> Valuation {
    if on == PricedOn::Future {
        Valuation {
            rho_point: -t.time * v.price / 100.0,
            ..v
        }
    } else {
        v
    }
}
