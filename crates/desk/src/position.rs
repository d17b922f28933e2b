//! A position of any legs in the model world: what it makes and loses at its first expiration, and
//! its value and Greeks at chosen prices, times and volatilities.
//!
//! Profit at the horizon comes from `outline`, as that of drafts and of the book does, in `f64` and
//! without rounding to money.
//!
//! A future is held like stock: a leg whose unit is the underlying itself. Options on a future are
//! the case of a yield equal to the rate, `spot` being the future.

pub use crate::outline::{Corner, Extreme, Outline};
use crate::outline::{Lasting, Profile, expected};
pub use crate::scene::{Scene, Shift, VolShift};
use quant::{Accuracy, Kind, Lognormal, Model, Style, Tail, Terms, chance_of_reaching};
use rayon::prelude::*;

/// What a leg is.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum PositionKind {
    /// An option, by right, strike and time.
    Option {
        /// Call or put.
        kind: Kind,
        /// When it may be exercised.
        style: Style,
        /// Strike per unit.
        strike: f64,
        /// Years to expiry.
        time: f64,
        /// Its volatility per year.
        vol: f64,
    },
    /// The underlying itself, stock or future.
    Stock,
}

/// So many of one thing in a model position.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PositionLeg {
    /// The option, share or future that it is.
    pub instrument: PositionKind,
    /// Contracts or shares, signed.
    pub quantity: f64,
    /// Units per contract.
    pub multiplier: f64,
    /// Price per unit at entry.
    pub entry: f64,
}

impl PositionLeg {
    fn units(&self) -> f64 {
        self.quantity * self.multiplier
    }

    fn time(&self) -> Option<f64> {
        if let PositionKind::Option { time, .. } = self.instrument {
            Some(time)
        } else {
            None
        }
    }
}

/// The position and its market.
#[derive(Debug, Clone, PartialEq)]
pub struct Position {
    /// Price of the underlying.
    pub spot: f64,
    /// Interest, continuously compounded.
    pub rate: f64,
    /// Dividend yield a year, continuously compounded, as a fraction.
    pub carry_yield: f64,
    /// All of its legs, on one underlying.
    pub legs: Vec<PositionLeg>,
}

/// What happens at the horizon.
#[derive(Debug, Clone, PartialEq)]
pub struct AtHorizon {
    /// Years to the first expiration.
    pub time: f64,
    /// Profit over price there.
    pub outline: Outline,
    /// Chance of a profit.
    pub chance: f64,
    /// Expected profit, undiscounted.
    pub expected: f64,
}

/// Value and Greeks at one point; a Greek that does not exist there is `None`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Point {
    /// What the position is worth.
    pub value: f64,
    /// Value less the cost.
    pub profit: f64,
    /// Per unit of price.
    pub delta: Option<f64>,
    /// Change of delta per unit of price.
    pub gamma: Option<f64>,
    /// Per calendar day.
    pub theta_day: Option<f64>,
    /// Per volatility point.
    pub vega_point: Option<f64>,
}

/// Value of legs at many prices.
fn worth(models: &[(Option<Model>, f64)], prices: &[f64]) -> Vec<f64> {
    let (mut sum, mut leg) = (vec![0.0; prices.len()], vec![0.0; prices.len()]);
    for (model, units) in models {
        match model {
            Some(model) => model.prices(prices, &mut leg),
            None => leg.copy_from_slice(prices),
        }
        for (sum, price) in sum.iter_mut().zip(&leg) {
            *sum += units * price;
        }
    }
    sum
}

/// Value and Greeks of legs at one price.
fn point(models: &[(Option<Model>, f64)], spot: f64, cost: f64) -> Result<Point, quant::Error> {
    let mut out = Point {
        value: 0.0,
        profit: 0.0,
        delta: Some(0.0),
        gamma: Some(0.0),
        theta_day: Some(0.0),
        vega_point: Some(0.0),
    };
    for (model, units) in models {
        let add = |sum: &mut Option<f64>, greek: Option<f64>| {
            *sum = sum.zip(greek).map(|(a, b)| a + b * units)
        };
        let Some(model) = model else {
            out.value += units * spot;
            add(&mut out.delta, Some(1.0));
            continue;
        };
        let v = model.value(spot)?;
        // At expiry the payoff has a corner at the strike: no derivative exists there.
        let smooth = model.terms().time > 0.0 || spot != model.terms().strike;
        let exists = |g: f64| smooth.then_some(g);
        out.value += units * v.price;
        add(&mut out.delta, exists(v.delta));
        add(&mut out.gamma, exists(v.gamma));
        add(&mut out.theta_day, exists(v.theta_day));
        add(&mut out.vega_point, exists(v.vega_point));
    }
    out.profit = out.value - cost;
    Ok(out)
}

impl Position {
    /// Paid for the position (received below zero).
    pub fn net_cost(&self) -> f64 {
        self.legs.iter().map(|l| l.units() * l.entry).sum()
    }

    fn terms(&self, leg: &PositionLeg, scene: &Scene) -> Option<Terms> {
        let PositionKind::Option {
            kind,
            style,
            strike,
            time,
            vol,
        } = leg.instrument
        else {
            return None;
        };
        let vol = scene.vols.shifted(vol, time);
        Some(Terms {
            kind,
            style,
            strike,
            time: (time - scene.elapsed).max(0.0),
            rate: self.rate,
            carry_yield: self.carry_yield,
            vol,
        })
    }

    /// Each leg's units and, for an option, its model in the scene.
    fn models(
        &self,
        scene: &Scene,
        accuracy: Accuracy,
    ) -> Result<Vec<(Option<Model>, f64)>, quant::Error> {
        self.legs
            .iter()
            .map(|l| {
                Ok((
                    self.terms(l, scene)
                        .map(|t| Model::new(&t, accuracy))
                        .transpose()?,
                    l.units(),
                ))
            })
            .collect()
    }

    /// Value at each price of the underlying.
    ///
    /// # Errors
    /// Terms that the models refuse.
    pub fn values(
        &self,
        scene: &Scene,
        prices: &[f64],
        accuracy: Accuracy,
    ) -> Result<Vec<f64>, quant::Error> {
        Ok(worth(&self.models(scene, accuracy)?, prices))
    }

    /// Value and Greeks at each price of the underlying; several times the work of
    /// [`Position::values`].
    ///
    /// # Errors
    /// Terms that the models refuse, or a price that is not above zero.
    pub fn points(
        &self,
        scene: &Scene,
        prices: &[f64],
        accuracy: Accuracy,
    ) -> Result<Vec<Point>, quant::Error> {
        let models = self.models(scene, accuracy)?;
        let cost = self.net_cost();
        prices
            .iter()
            .map(|spot| point(&models, *spot, cost))
            .collect()
    }

    /// [`Position::points`] of many scenes, on all cores: price × date × volatility.
    ///
    /// # Errors
    /// As [`Position::points`].
    pub fn grid(
        &self,
        scenes: &[Scene],
        prices: &[f64],
        accuracy: Accuracy,
    ) -> Result<Vec<Vec<Point>>, quant::Error> {
        scenes
            .par_iter()
            .map(|scene| self.points(scene, prices, accuracy))
            .collect()
    }

    /// Chance that the profit reaches `target` within `time` years, before it falls to `stop` if
    /// one is given: the price moves with `vol`, the legs keep their volatilities. Meant for a
    /// `time` up to the first expiration.
    ///
    /// # Errors
    /// Terms that the models refuse, or a time, a volatility or a target out of their range.
    pub fn chance_of_reaching(
        &self,
        vol: f64,
        time: f64,
        target: f64,
        stop: Option<f64>,
        accuracy: Accuracy,
    ) -> Result<f64, quant::Error> {
        self.models(&Scene::later(0.0), accuracy)?;
        let cost = self.net_cost();
        // The legs are good now, so they are at any later time.
        let gain = |t: f64, prices: &[f64]| match self.values(&Scene::later(t), prices, accuracy) {
            Ok(values) => values.into_iter().map(|v| v - cost).collect(),
            Err(_) => vec![f64::NAN; prices.len()],
        };
        chance_of_reaching(
            self.spot,
            self.rate - self.carry_yield,
            vol,
            time,
            gain,
            target,
            stop,
        )
    }

    /// What lasts longer than `time`: its units and models there, and its strikes.
    fn lasting(&self, time: f64, accuracy: Accuracy) -> Result<LastingLegs, quant::Error> {
        let later = self
            .legs
            .iter()
            .filter(|l| l.time().is_some_and(|t| t > time));
        let scene = Scene::later(time);
        let one = |l: &PositionLeg| {
            let terms = self.terms(l, &scene);
            Ok((
                terms.map(|t| Model::new(&t, accuracy)).transpose()?,
                l.units(),
            ))
        };
        later.map(one).collect()
    }

    /// The outline of the underlying alone, at any time: a straight line. Options are left out.
    pub fn line(&self, realised: f64) -> Outline {
        let own = self.legs.iter().filter(|l| l.time().is_none());
        let profile = Profile {
            cash: realised - self.net_cost(),
            ending: Vec::new(),
            underlying: own.map(PositionLeg::units).sum(),
        };
        profile.exact()
    }

    /// The first expiration; `None` without options. `vol` is that of the price up to it, and
    /// `realised` what was made before, less fees: zero for a position looked at alone.
    ///
    /// # Errors
    /// Terms that the models refuse.
    pub fn horizon(
        &self,
        vol: f64,
        realised: f64,
        accuracy: Accuracy,
    ) -> Result<Option<AtHorizon>, quant::Error> {
        let times = self.legs.iter().filter_map(PositionLeg::time);
        let Some(time) = times.reduce(f64::min) else {
            return Ok(None);
        };
        let ends = |l: &PositionLeg| match l.instrument {
            PositionKind::Option {
                kind,
                strike,
                time: t,
                ..
            } if t <= time => Some((kind, strike, l.units())),
            _ => None,
        };
        let own = self.legs.iter().filter(|l| l.time().is_none());
        let profile = Profile {
            cash: realised - self.net_cost(),
            ending: self.legs.iter().filter_map(ends).collect(),
            underlying: own.map(PositionLeg::units).sum(),
        };
        let models = self.lasting(time, accuracy)?;
        let values = |prices: &[f64]| Ok(worth(&models, prices));
        let terms = || {
            models
                .iter()
                .filter_map(|(m, _)| m.as_ref().map(Model::terms))
        };
        let deviations = self.legs.iter().filter_map(|l| match l.instrument {
            PositionKind::Option { vol, time, .. } => Some(vol * time.sqrt()),
            PositionKind::Stock => None,
        });
        let tails = models
            .iter()
            .filter_map(|(m, units)| Some((m.as_ref()?.tail(), units)));
        let lasting = Lasting {
            values: &values,
            strikes: terms().map(|t| t.strike).collect(),
            tail: tails.fold(Tail::default(), |sum, (t, units)| Tail {
                slope: sum.slope + t.slope * units,
                level: sum.level + t.level * units,
            }),
            spot: self.spot,
            deviation: deviations.fold(vol * time.sqrt(), f64::max),
        };
        let lasting = (!models.is_empty()).then_some(&lasting);
        let outline = match lasting {
            Some(lasting) => profile.with(lasting)?,
            None => profile.exact(),
        };
        let law = Lognormal::new(self.spot, self.rate - self.carry_yield, vol, time)?;
        Ok(Some(AtHorizon {
            time,
            chance: outline.chance(&law),
            expected: expected(&profile, lasting, &outline, &law)?,
            outline,
        }))
    }
}

/// Legs with their models at a moment, and money per 1.00 of their price; of the underlying itself
/// there is no model.
type LastingLegs = Vec<(Option<Model>, f64)>;
