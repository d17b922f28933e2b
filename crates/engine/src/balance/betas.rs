//! How much each name moves with the index: as the market was made, as its past says, or as the
//! trader does.

use std::collections::BTreeMap;

use desk::Moment;
use desk::beta::{Beta, returns, toward_one};
use desk::calendar::{close_of, previous_session};
use market::World;

use crate::sight::vol30;

/// Where betas come from.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Betas {
    /// Estimated over so many sessions; nothing: the market's own.
    pub sessions: Option<usize>,
    /// Two thirds of what is estimated or given by the market, and one third of 1.
    pub toward_one: bool,
    /// The trader's own, by symbol.
    pub own: BTreeMap<String, f64>,
}

/// Where one beta comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum BetaSource {
    /// The trader's own.
    Own,
    /// The market's own.
    Market,
    /// By regression on a year of closes.
    Estimated,
}

/// The beta of one name.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct BetaOf {
    /// The one that counts.
    pub used: f64,
    /// Where it comes from.
    pub source: BetaSource,
    /// The market's own against this index.
    pub market: f64,
    /// Estimated over the window; nothing without enough of a past.
    pub estimated: Option<Beta>,
}

/// Sessions that an estimate stands beside the market's own where no window is chosen: a year.
const YEAR: usize = 252;

impl Betas {
    /// The beta of a name against an index; 1 against itself.
    pub fn of(&self, world: &World, at: Moment, symbol: &str, index: &str) -> BetaOf {
        let own_beta = |symbol: &str| world.beta(symbol, at);
        // Against another index than the broad one: what that one moves is taken off.
        let market = if symbol == index {
            1.0
        } else if own_beta(index) == 0.0 {
            0.0
        } else {
            own_beta(symbol) / own_beta(index)
        };
        let sessions = self.sessions.unwrap_or(YEAR);
        let estimated = (symbol != index)
            .then(|| world.regression(index, symbol, at, sessions))
            .flatten();
        let (plain, source) = match (self.sessions, estimated) {
            (Some(_), Some(beta)) => (beta.beta, BetaSource::Estimated),
            _ => (market, BetaSource::Market),
        };
        let shrunk = if self.toward_one && symbol != index {
            toward_one(plain)
        } else {
            plain
        };
        let (used, source) = match self.own.get(symbol) {
            Some(own) => (*own, BetaSource::Own),
            None => (shrunk, source),
        };
        BetaOf {
            used,
            source,
            market,
            estimated,
        }
    }
}

/// How volatility has answered the index in the past year: by so many times its fall, both
/// relative. The slope of the daily changes of its 30-day volatility on its returns, turned about;
/// nothing without enough of a past.
pub fn past_answer(world: &World, at: Moment) -> Option<f64> {
    let index = world.index();
    let closes = world.closes(index, at, YEAR + 1)?;
    let mut day = at.date();
    let mut vols = Vec::with_capacity(closes.len());
    for _ in 0..closes.len() {
        day = previous_session(day);
        vols.push(vol30(world, index, close_of(day))?);
    }
    vols.reverse();
    Beta::of(&returns(&closes), &returns(&vols)).map(|b| -b.beta)
}
