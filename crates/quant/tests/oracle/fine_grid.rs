//! A slow and simple finite-difference oracle for cash dividends, of another kind than the engine:
//! implicit steps (extrapolated in time) on an even grid in S itself, early exercise by iteration
//! over the exercise set, linear interpolation at ex-dates.

use quant::{Dividend, Kind, Style, Terms};

/// Price at `spot`; error of the order of 1/nodes² and 1/steps².
pub fn price(t: &Terms, spot: f64, dividends: &[Dividend], nodes: usize, steps: usize) -> f64 {
    2.0 * implicit(t, spot, dividends, nodes, steps)
        - implicit(t, spot, dividends, nodes, steps / 2)
}

struct Oracle<'a> {
    terms: &'a Terms,
    dividends: &'a [Dividend],
    h: f64,
    exercise: Vec<f64>,
    values: Vec<f64>,
}

fn implicit(t: &Terms, spot: f64, dividends: &[Dividend], nodes: usize, steps: usize) -> f64 {
    let top = spot.max(t.strike) * (5.0 * t.vol * t.time.sqrt() + 0.1).exp();
    // A node on the strike.
    let h = t.strike / (nodes as f64 * t.strike / top).round();
    let n = (top / h).ceil() as usize;
    let exercise: Vec<f64> = (0..=n)
        .map(|j| t.kind.intrinsic(j as f64 * h, t.strike))
        .collect();
    let mut oracle = Oracle {
        terms: t,
        dividends,
        h,
        values: exercise.clone(),
        exercise,
    };
    let mut stops: Vec<&Dividend> = dividends.iter().filter(|d| d.time < t.time).collect();
    stops.sort_by(|a, b| b.time.total_cmp(&a.time));
    let mut later = t.time;
    for stop in stops.into_iter().map(Some).chain([None]) {
        let span = later - stop.map_or(0.0, |d| d.time);
        let count = ((steps as f64 * span / t.time).ceil() as usize).max(8);
        // Steps grow away from expiry, and are even elsewhere.
        let at = |i: usize| {
            if later == t.time {
                span * (i as f64 / count as f64).powi(2)
            } else {
                span * i as f64 / count as f64
            }
        };
        for i in 0..count {
            oracle.step(later - at(i + 1), at(i + 1) - at(i));
        }
        if let Some(d) = stop {
            oracle.pay(d.amount);
            later = d.time;
        }
    }
    let x = spot / h;
    let j = (x as usize).clamp(1, n - 2);
    let (s, v) = (x - j as f64, &oracle.values);
    v[j] + s * (v[j + 1] - v[j - 1]) / 2.0 + s * s * (v[j + 1] - 2.0 * v[j] + v[j - 1]) / 2.0
}

impl Oracle<'_> {
    fn american(&self) -> bool {
        self.terms.style == Style::American
    }

    /// Value at the top of the grid, `now` years from now.
    fn top(&self, now: f64) -> f64 {
        let t = self.terms;
        if t.kind == Kind::Put {
            return 0.0;
        }
        let n = self.values.len() - 1;
        let left = t.time - now;
        let paid: f64 = self
            .dividends
            .iter()
            .filter(|d| d.time > now && d.time < t.time)
            .map(|d| d.amount * (-t.rate * (d.time - now)).exp())
            .sum();
        let held = n as f64 * self.h * (-t.carry_yield * left).exp()
            - t.strike * (-t.rate * left).exp()
            - paid;
        if self.american() {
            held.max(self.exercise[n])
        } else {
            held
        }
    }

    /// One implicit step to `now` over `dt`; rows in the exercise set are the exercise value.
    fn step(&mut self, now: f64, dt: f64) {
        let t = self.terms;
        let n = self.values.len() - 1;
        let before = self.values.clone();
        let top = self.top(now);
        let row = |j: usize| {
            let s = j as f64;
            let (d, m) = (
                0.5 * t.vol * t.vol * s * s,
                0.5 * (t.rate - t.carry_yield) * s,
            );
            (-dt * (d - m), 1.0 + dt * (2.0 * d + t.rate), -dt * (d + m))
        };
        let mut exercised = vec![false; n + 1];
        for _ in 0..60 {
            let (mut upper, mut side) = (vec![0.0; n + 1], vec![0.0; n + 1]);
            for j in 0..n {
                let (a, b, c, right) = if exercised[j] {
                    (0.0, 1.0, 0.0, self.exercise[j])
                } else {
                    let (a, b, c) = row(j);
                    (a, b, c, before[j])
                };
                let (u, s) = if j == 0 {
                    (0.0, 0.0)
                } else {
                    (upper[j - 1], side[j - 1])
                };
                let pivot = b - a * u;
                upper[j] = c / pivot;
                side[j] = (right - a * s) / pivot;
            }
            self.values[n] = top;
            for j in (0..n).rev() {
                self.values[j] = side[j] - upper[j] * self.values[j + 1];
            }
            if !self.american() {
                return;
            }
            let mut changed = false;
            for j in 1..n {
                let (a, b, c) = row(j);
                let v = &self.values;
                let held = (before[j] - a * v[j - 1] - c * v[j + 1]) / b;
                let now = held < self.exercise[j];
                changed |= now != exercised[j];
                exercised[j] = now;
            }
            if self.terms.kind == Kind::Put {
                changed |= !exercised[0];
                exercised[0] = true;
            }
            if !changed {
                return;
            }
        }
    }

    fn pay(&mut self, amount: f64) {
        let after = self.values.clone();
        let n = after.len() - 1;
        for j in 0..=n {
            let x = (j as f64 - amount / self.h).max(0.0);
            let left = (x as usize).min(n - 1);
            let held = after[left] + (after[left + 1] - after[left]) * (x - left as f64);
            self.values[j] = if self.american() {
                held.max(self.exercise[j])
            } else {
                held
            };
        }
    }
}
