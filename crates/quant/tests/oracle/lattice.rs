//! Leisen–Reimer binomial lattice.
//!
//! Source: D. Leisen & M. Reimer, "Binomial models for option valuation", *Applied Mathematical
//! Finance* 3 (1996) 319–346, with the Peizer–Pratt inversion 2. Odd step counts; error falls as
//! 1/n² for European options and about 1/n for American ones. An independent check of the engines.

use quant::{Style, Terms};

/// Price per unit. `steps` is raised to the next odd number. Requires `time > 0` and `vol > 0`.
pub fn leisen_reimer(t: &Terms, spot: f64, steps: usize) -> f64 {
    let n = steps | 1;
    let dt = t.time / n as f64;
    let deviation = t.vol * t.time.sqrt();
    let d1 =
        ((spot / t.strike).ln() + (t.rate - t.carry_yield) * t.time) / deviation + deviation / 2.0;
    let growth = ((t.rate - t.carry_yield) * dt).exp();
    let p = peizer_pratt(d1 - deviation, n as f64);
    let share = peizer_pratt(d1, n as f64);
    let up = growth * share / p;
    let down = (growth - p * up) / (1.0 - p);
    let discount = (-t.rate * dt).exp();
    let (log_up, log_down) = (up.ln(), down.ln());
    let price_at = |level: usize, ups: usize| {
        spot * (ups as f64 * log_up + (level - ups) as f64 * log_down).exp()
    };
    let mut values: Vec<f64> = (0..=n)
        .map(|k| t.kind.intrinsic(price_at(n, k), t.strike))
        .collect();
    let ratio = up / down;
    for level in (0..n).rev() {
        let mut node = price_at(level, 0);
        for k in 0..=level {
            let held = discount * (p * values[k + 1] + (1.0 - p) * values[k]);
            values[k] = match t.style {
                Style::European => held,
                Style::American => held.max(t.kind.intrinsic(node, t.strike)),
            };
            node *= ratio;
        }
    }
    values[0]
}

fn peizer_pratt(z: f64, n: f64) -> f64 {
    let inner = (z / (n + 1.0 / 3.0 + 0.1 / (n + 1.0))).powi(2) * (n + 1.0 / 6.0);
    0.5 + (0.25 - 0.25 * (-inner).exp()).max(0.0).sqrt().copysign(z)
}
