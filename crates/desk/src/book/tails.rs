//! What the book may make over some sessions, drawn from the past: each path strings together
//! sessions of the past at random (the bootstrap of B. Efron, *Annals of Statistics* 7 (1979)), all
//! names from the same session, so that what moved together moves together again.
//!
//! Beside it the same with all correlations one: each name takes the return that stands at the same
//! place in its own past, from the worst to the best. These are estimates: sessions are taken as
//! independent of each other, and what the past did not hold cannot be drawn.

use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::{RngCore, SeedableRng};
use rayon::prelude::*;

/// One name: what it did, and what the book makes of it.
#[derive(Debug, Clone)]
pub struct NamePast {
    /// Simple returns of past sessions; the same sessions for every name.
    pub returns: Vec<f64>,
    /// Moves of the name at which its profit is known, ascending.
    pub moves: Vec<f64>,
    /// Profit there, at the end of the sessions looked ahead.
    pub profits: Vec<f64>,
}

impl NamePast {
    /// Profit after a move: straight between the moves that are known, and on beyond them.
    fn profit(&self, own: f64) -> f64 {
        let last = self.moves.len() - 1;
        if last == 0 {
            return self.profits[0];
        }
        let i = self.moves.partition_point(|m| *m <= own).clamp(1, last);
        let (a, b) = (self.moves[i - 1], self.moves[i]);
        let part = (own - a) / (b - a);
        self.profits[i - 1] + part * (self.profits[i] - self.profits[i - 1])
    }
}

/// What happens together.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Together {
    /// As it did.
    AsInThePast,
    /// Everything: all correlations are one.
    AsOne,
}

/// The worst part of the paths.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Worst {
    /// The part, 0.05.
    pub part: f64,
    /// Profit at its edge: so large a part of the paths makes less.
    pub edge: f64,
    /// Mean profit of that part.
    pub mean: f64,
    /// Standard error of that mean over the draws.
    pub error: f64,
}

/// Profit of the book over the paths.
#[derive(Debug, Clone, PartialEq)]
pub struct PathsDrawn {
    /// How many futures of the book were drawn.
    pub paths: usize,
    /// The mean profit over all of them, in money.
    pub mean: f64,
    /// Standard error of the mean.
    pub error: f64,
    /// Standard deviation of the profit.
    pub deviation: f64,
    /// Part of the paths that lose.
    pub losing: f64,
    /// The worst 5 and 1 percent.
    pub tails: [Worst; 2],
    /// Edges of the bars, ascending: one more than there are bars.
    pub edges: Vec<f64>,
    /// How many paths end in each.
    pub bars: Vec<usize>,
}

const TAILS: [f64; 2] = [0.05, 0.01];
const BARS: usize = 48;

/// The move of each name over a path that strings these sessions together.
fn path(names: &[NamePast], sessions: &[usize]) -> f64 {
    let profit = |name: &NamePast| {
        let grown: f64 = sessions.iter().map(|i| 1.0 + name.returns[*i]).product();
        name.profit(grown - 1.0)
    };
    names.iter().map(profit).sum()
}

/// Draws `paths` paths of `sessions` sessions each; nothing where no name is known, or none of its
/// past. The same seed draws the same.
pub fn drawn(
    names: &[NamePast],
    sessions: usize,
    paths: usize,
    together: Together,
    seed: u64,
) -> Option<PathsDrawn> {
    let past = names.iter().map(|n| n.returns.len()).min()?;
    if past == 0 || paths < 2 {
        return None;
    }
    let sorted: Vec<NamePast>;
    let names = match together {
        Together::AsInThePast => names,
        Together::AsOne => {
            let sort = |n: &NamePast| {
                let mut returns = n.returns[n.returns.len() - past..].to_vec();
                returns.sort_by(f64::total_cmp);
                NamePast {
                    returns,
                    ..n.clone()
                }
            };
            sorted = names.iter().map(sort).collect();
            &sorted
        }
    };
    const BLOCK: usize = 256;
    // Each block of paths has its own stream, so that threads change nothing.
    let block = |i: usize| {
        let mut random = ChaCha8Rng::seed_from_u64(seed);
        random.set_stream(i as u64);
        let mut one = vec![0; sessions];
        let many = BLOCK.min(paths - i * BLOCK);
        (0..many)
            .map(|_| {
                for session in &mut one {
                    // The high half of a product is even over the range to 2⁻⁶⁴.
                    let wide = u128::from(random.next_u64()) * past as u128;
                    *session = (wide >> 64) as usize;
                }
                path(names, &one)
            })
            .collect::<Vec<f64>>()
    };
    let mut profits: Vec<f64> = (0..paths.div_ceil(BLOCK))
        .into_par_iter()
        .flat_map_iter(block)
        .collect();
    profits.sort_by(f64::total_cmp);
    Some(told(&profits))
}

/// Figures of profits in ascending order.
fn told(profits: &[f64]) -> PathsDrawn {
    let n = profits.len() as f64;
    let mean = profits.iter().sum::<f64>() / n;
    let variance = profits.iter().map(|p| (p - mean).powi(2)).sum::<f64>() / (n - 1.0);
    let tail = |part: f64| {
        let count = ((part * n).ceil() as usize).clamp(1, profits.len());
        let edge = profits[count - 1];
        let worst = &profits[..count];
        let mean = worst.iter().sum::<f64>() / count as f64;
        // Variance of the mean of a tail: its own, and that of where its edge falls (G. Manistre
        // and G. Hancock, *North American Actuarial Journal* 9 (2005)).
        let own = worst.iter().map(|p| (p - mean).powi(2)).sum::<f64>() / count as f64;
        let edge_part = (1.0 - part) * (edge - mean).powi(2);
        Worst {
            part,
            edge,
            mean,
            error: ((own + edge_part) / count as f64).sqrt(),
        }
    };
    let (low, high) = (profits[0], profits[profits.len() - 1]);
    let width = ((high - low) / BARS as f64).max(f64::MIN_POSITIVE);
    let mut bars = vec![0; BARS];
    for p in profits {
        bars[(((p - low) / width) as usize).min(BARS - 1)] += 1;
    }
    PathsDrawn {
        paths: profits.len(),
        mean,
        error: (variance / n).sqrt(),
        deviation: variance.sqrt(),
        losing: profits.partition_point(|p| *p < 0.0) as f64 / n,
        tails: TAILS.map(tail),
        edges: (0..=BARS).map(|i| low + width * i as f64).collect(),
        bars,
    }
}
