//! The chance that a position's profit reaches a target before a date, with or without a stop.
//!
//! Let G(t, S) be the profit at time t and price S, A(t) = {S : G ≥ target}, and B(t) = {S : G ≤
//! stop} if there is a stop. The chance u(t, S) of entering A before B and before T solves u_t +
//! ½σ²S²u_SS + μSu_S = 0 with u = 1 on A, u = 0 on B and u(T) = 1 on A(T), 0 elsewhere.
//!
//! Method: even grid in ln S (±6σ√T), fully implicit steps at T − (i/n)²T. Nodes inside A(t) or
//! B(t) are rows of the system, and the edge of the set is placed inside its cell by linear
//! interpolation of G (an uneven three-point stencil): without that the answer is biased like
//! watching at discrete times. Watching is continuous. Error about 3e-4 at the grid used, by
//! refinement and against simulation with bridges (`tests/chances.rs`). Weakness: a target reached
//! only within a few steps of T (a pin at expiration) is resolved to the width of a step.

use crate::terms::{Error, not_negative, price_level};

const NODES: usize = 401;
const STEPS: usize = 200;

/// What is aimed at.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Aim {
    target: f64,
    stop: Option<f64>,
}

impl Aim {
    pub(crate) fn new(target: f64, stop: Option<f64>) -> Result<Aim, Error> {
        if !target.is_finite() || stop.is_some_and(|s| !s.is_finite()) {
            return Err(Error::NotFinite("target and stop"));
        }
        Ok(Aim { target, stop })
    }

    /// The value an absorbed node has, or nothing.
    fn absorbed(&self, gain: f64) -> Option<f64> {
        if gain >= self.target {
            Some(1.0)
        } else if self.stop.is_some_and(|s| gain <= s) {
            Some(0.0)
        } else {
            None
        }
    }
}

/// Chance of reaching `target` within `time` years, before falling to `stop` if one is given.
/// `drift` and `vol` of the price are per year; `gain(t, prices)` gives the profit `t` years from
/// now at each of the prices, continuous in both.
///
/// ```
/// // A gain of 10 on a share is reached when 110 is touched: the same chance as that of the barrier.
/// let reached = quant::chance_of_reaching(
///     100.0,
///     0.0,
///     0.20,
///     0.25,
///     |_, prices| prices.iter().map(|s| s - 100.0).collect(),
///     10.0,
///     None,
/// )?;
/// let touched = quant::touch(100.0, 50.0, 110.0, 0.0, 0.20, 0.25)?.high;
/// assert!((reached - touched).abs() < 0.005, "{reached} {touched}");
/// # Ok::<(), quant::Error>(())
/// ```
///
/// # Errors
/// A spot, a volatility, a time or a target out of range.
pub fn chance_of_reaching(
    spot: f64,
    drift: f64,
    vol: f64,
    time: f64,
    gain: impl Fn(f64, &[f64]) -> Vec<f64>,
    target: f64,
    stop: Option<f64>,
) -> Result<f64, Error> {
    let spot = price_level("spot", spot)?;
    let (vol, time) = (
        not_negative("volatility", vol)?,
        not_negative("time", time)?,
    );
    if !drift.is_finite() {
        return Err(Error::NotFinite("drift"));
    }
    chance(
        spot,
        drift,
        vol * time.sqrt(),
        time,
        gain,
        Aim::new(target, stop)?,
        |_, _| Ok(vol * vol),
    )
}

/// As [`chance_of_reaching`] with a variance a year that depends on time and price; `spread` is
/// about the deviation of ln S at the end.
pub(crate) fn chance(
    spot: f64,
    drift: f64,
    spread: f64,
    time: f64,
    gain: impl Fn(f64, &[f64]) -> Vec<f64>,
    aim: Aim,
    variance: impl Fn(f64, f64) -> Result<f64, Error>,
) -> Result<f64, Error> {
    if let Some(already) = aim.absorbed(gain(0.0, &[spot])[0]) {
        return Ok(already);
    }
    if spread < 1e-6 {
        // Along the path without chance, watched at many moments.
        let watched = (1..=STEPS)
            .map(|i| time * i as f64 / STEPS as f64)
            .find_map(|t| aim.absorbed(gain(t, &[spot * (drift * t).exp()])[0]));
        return Ok(watched.unwrap_or(0.0));
    }
    let half = NODES / 2;
    let h = 6.0 * spread / half as f64;
    let prices: Vec<f64> = (0..NODES)
        .map(|j| spot * ((j as f64 - half as f64) * h).exp())
        .collect();
    let mut march = March {
        drift,
        h,
        aim,
        chance: gain(time, &prices)
            .iter()
            .map(|g| aim.absorbed(*g).unwrap_or(0.0))
            .collect(),
    };
    let left = |i: usize| time * (i as f64 / STEPS as f64).powi(2);
    for i in 1..=STEPS {
        // A local volatility may grow without bound towards now: the middle of the step stands for
        // it.
        let (t, middle) = (time - left(i), time - 0.5 * (left(i) + left(i - 1)));
        let variances = prices
            .iter()
            .map(|s| variance(middle, *s))
            .collect::<Result<Vec<f64>, Error>>()?;
        march.step(&gain(t, &prices), &variances, left(i) - left(i - 1));
    }
    Ok(march.chance[half].clamp(0.0, 1.0))
}

struct March {
    drift: f64,
    h: f64,
    aim: Aim,
    chance: Vec<f64>,
}

impl March {
    /// Distance and value towards a neighbour: to the edge of its set if it is absorbed.
    fn towards(&self, here: f64, there: f64) -> (f64, Option<f64>) {
        match self.aim.absorbed(there) {
            None => (self.h, None),
            Some(value) => {
                let level = if value == 1.0 {
                    self.aim.target
                } else {
                    self.aim.stop.unwrap_or(self.aim.target)
                };
                let share = (level - here) / (there - here);
                (self.h * share.clamp(1e-3, 1.0), Some(value))
            }
        }
    }

    fn step(&mut self, gains: &[f64], variances: &[f64], dt: f64) {
        let n = gains.len();
        let (mut upper, mut side) = (vec![0.0; n], vec![0.0; n]);
        for j in 0..n {
            let (mut a, mut b, mut c, mut right) = (0.0, 1.0, 0.0, self.chance[j]);
            if let Some(value) = self.aim.absorbed(gains[j]) {
                right = value;
            } else if j > 0 && j + 1 < n {
                let (down, low) = self.towards(gains[j], gains[j - 1]);
                let (up, high) = self.towards(gains[j], gains[j + 1]);
                let (both, carried) = (down + up, self.drift - 0.5 * variances[j]);
                let to_low = dt * (variances[j] - carried * up) / (down * both);
                let to_high = dt * (variances[j] + carried * down) / (up * both);
                b += to_low + to_high;
                match low {
                    Some(value) => right += to_low * value,
                    None => a = -to_low,
                }
                match high {
                    Some(value) => right += to_high * value,
                    None => c = -to_high,
                }
            }
            let (u, s) = if j == 0 {
                (0.0, 0.0)
            } else {
                (upper[j - 1], side[j - 1])
            };
            let pivot = b - a * u;
            upper[j] = c / pivot;
            side[j] = (right - a * s) / pivot;
        }
        self.chance[n - 1] = side[n - 1];
        for j in (0..n - 1).rev() {
            self.chance[j] = side[j] - upper[j] * self.chance[j + 1];
        }
    }
}
