//! What one index cannot show: each name alone by its own two deviations, and the book over some
//! sessions as drawn from the past year.

use std::collections::BTreeMap;

use desk::beta::returns;
use desk::book::Scenario;
use desk::book::tails::{NamePast, PathsDrawn, Together, drawn};
use desk::calendar::{close_of, last_trading, next_session};
use desk::{Accuracy, Moment};
use rayon::prelude::*;

use super::{Item, Lens};
use crate::sight::vol30;
use crate::state::State;

/// One name moving alone.
#[derive(Debug, Clone, PartialEq)]
pub struct Alone {
    /// The symbol that is looked at by itself.
    pub symbol: String,
    /// Two deviations of its price by the end, a fraction of it: by its 30-day volatility.
    pub two_sigma: f64,
    /// Profit of the book where it falls by as much.
    pub fallen: f64,
    /// And where it rises.
    pub risen: f64,
}

/// The book over some sessions.
#[derive(Debug, Clone)]
pub struct TailsAhead {
    /// The close that is looked at.
    pub until: Moment,
    /// Calendar days to it.
    pub days: f64,
    /// Each name alone, the worst first.
    pub alone: Vec<Alone>,
    /// With correlations as in the past year.
    pub past: Option<PathsDrawn>,
    /// With all of them one.
    pub as_one: Option<PathsDrawn>,
    /// Sessions of the past that are drawn from.
    pub sessions: usize,
    /// Names without such a past: drawn as their beta times the index.
    pub by_beta: Vec<String>,
    /// What is in none of it, and why.
    pub missing: Vec<String>,
}

/// Sessions of a year.
const YEAR: usize = 252;
/// Prices of a name at which the book is valued.
const POINTS: usize = 161;

/// The close `sessions` closes ahead.
fn close_ahead(at: Moment, sessions: usize) -> Moment {
    let today = last_trading(at).date();
    let mut day = if close_of(today) > at {
        today
    } else {
        next_session(today)
    };
    for _ in 1..sessions {
        day = next_session(day);
    }
    close_of(day)
}

/// Moves of a name that its paths may end at, evenly.
fn moves_of(returns: &[f64], sessions: usize) -> Vec<f64> {
    let n = returns.len().max(1) as f64;
    let deviation = (returns.iter().map(|r| r * r).sum::<f64>() / n).sqrt();
    let worst = returns.iter().copied().fold(0.0, f64::min);
    let best = returns.iter().copied().fold(0.0, f64::max);
    let wide = 6.0 * deviation * (sessions as f64).sqrt();
    let low = (-wide).min(1.5 * worst).max(-0.99);
    let high = wide.max(1.5 * best).max(1e-6);
    (0..POINTS)
        .map(|i| low + (high - low) * i as f64 / (POINTS - 1) as f64)
        .collect()
}

/// Looks `sessions` closes ahead over `paths` paths. The names move, not the index: the betas of the
/// lens take no part where a name has its own past. Volatility answers each name as the lens says.
pub fn ahead(
    state: &State,
    items: &[Item],
    lens: &Lens,
    (sessions, paths): (usize, usize),
) -> TailsAhead {
    let (world, at) = (&state.world, state.clock.now);
    let until = close_ahead(at, sessions);
    let days = (until.millis() - at.millis()) as f64 / 86_400_000.0;
    let mut by_symbol: BTreeMap<&str, Vec<&Item>> = BTreeMap::new();
    for item in items.iter().filter(|i| i.on) {
        by_symbol.entry(&item.symbol).or_default().push(item);
    }
    let past = |symbol: &str| Some(returns(&world.closes(symbol, at, YEAR + 1)?));
    let index = past(&lens.index).unwrap_or_default();
    let mut by_beta = Vec::new();
    let named: Vec<(&str, Vec<&Item>, Vec<f64>)> = by_symbol
        .into_iter()
        .map(|(symbol, items)| {
            let own = past(symbol).filter(|r| r.len() == index.len() && !r.is_empty());
            let own = own.unwrap_or_else(|| {
                by_beta.push(symbol.to_owned());
                let beta = lens.betas.of(world, at, symbol, &lens.index).used;
                index.iter().map(|r| beta * r).collect()
            });
            (symbol, items, own)
        })
        .collect();
    // What the book makes of a name's moves is a function of the moment, whatever thread asks.
    let valued = |(symbol, items, own): &(&str, Vec<&Item>, Vec<f64>)| {
        let u = world.underlying(symbol)?;
        let two_sigma = 2.0 * vol30(world, symbol, at).unwrap_or(0.0) * (days / 365.0).sqrt();
        let mut moves = moves_of(own, sessions);
        let scenario = |own: f64| Scenario {
            own,
            days,
            vol: lens.vol,
        };
        let all: Vec<Scenario> = moves
            .iter()
            .copied()
            .chain([-two_sigma, two_sigma])
            .map(scenario)
            .collect();
        let mut sum = vec![0.0; all.len()];
        let mut missing = Vec::new();
        for item in items {
            match item.position(u, at).profits(&all, Accuracy::Interactive) {
                Ok(profits) => sum.iter_mut().zip(profits).for_each(|(s, p)| *s += p),
                Err(e) => missing.push(format!("{} {}: {e}", item.symbol, item.name)),
            }
        }
        let (fallen, risen) = (sum[POINTS], sum[POINTS + 1]);
        sum.truncate(POINTS);
        moves.truncate(POINTS);
        let alone = Alone {
            symbol: (*symbol).to_owned(),
            two_sigma,
            fallen,
            risen,
        };
        let name = NamePast {
            returns: own.clone(),
            moves,
            profits: sum,
        };
        Some((alone, name, missing))
    };
    let valued: Vec<(Alone, NamePast, Vec<String>)> = named.par_iter().filter_map(valued).collect();
    let mut alone = Vec::new();
    let (mut names, mut missing) = (Vec::new(), Vec::new());
    for (a, name, unvalued) in valued {
        alone.push(a);
        names.push(name);
        missing.extend(unvalued);
    }
    alone.sort_by(|a, b| {
        let worst = |x: &Alone| x.fallen.min(x.risen);
        worst(a).total_cmp(&worst(b))
    });
    let draw = |together| drawn(&names, sessions, paths, together, world.seed());
    TailsAhead {
        until,
        days,
        past: draw(Together::AsInThePast),
        as_one: draw(Together::AsOne),
        sessions: index.len(),
        alone,
        by_beta,
        missing,
    }
}
