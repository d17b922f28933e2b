//! Scheduled news: the move that is priced for the next, what past ones were priced at and what came.

use desk::calendar::{close_of, next_session, previous_session};
use desk::{Expiration, Moment, Price, event_move};
use jiff::civil::Date;
use market::{Announced, AnnouncedKind, UnderlyingAt};
use quant::{EventMove, cdf};

/// From when to when past news is looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Looks {
    /// Sessions before the last close ahead of it; 0: that close.
    pub before: usize,
    /// Until when after the news one looks.
    pub after: After,
}

/// The end of a look at past news.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum After {
    /// The opening that knows its outcome.
    #[default]
    Open,
    /// The close so many sessions after that one; 0: of the same session.
    Close(usize),
}

impl Looks {
    /// The moment before and the one after news that is known at an opening.
    pub fn around(self, known: Moment) -> (Moment, Moment) {
        let mut before = previous_session(known.date());
        for _ in 0..self.before {
            before = previous_session(before);
        }
        let after = match self.after {
            After::Open => known,
            After::Close(sessions) => {
                let mut day = known.date();
                for _ in 0..sessions {
                    day = next_session(day);
                }
                close_of(day)
            }
        };
        (close_of(before), after)
    }
}

/// How a priced move was taken out of the expirations.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct MovePriced {
    /// What it comes to.
    pub of: EventMove,
    /// The nearer expiration and its volatility at the forward.
    pub near: (Date, f64),
    /// The later one.
    pub far: (Date, f64),
    /// Both contain it: what lies between them is the base. Otherwise the nearer is.
    pub both: bool,
}

/// The last trading before a moment.
fn last_close(at: Moment) -> Moment {
    close_of(previous_session(at.date()))
}

/// Volatility at the forward of an expiration, and its years.
pub(super) fn volatility(seen: &UnderlyingAt<'_>, e: &Expiration) -> Option<(f64, f64)> {
    let years = seen.at.years_until(e.moment());
    let variance = seen
        .world
        .total_variance(seen.symbol(), seen.at, e.moment())?;
    (years > 0.0 && variance > 0.0).then(|| (years, (variance / years).sqrt()))
}

/// The move that is priced for news: by the last expiration that does not contain it and the first that
/// does, or by the first two where both do.
pub fn move_priced(seen: &UnderlyingAt<'_>, known: Moment) -> Option<MovePriced> {
    let all = seen.expirations();
    let first = all.iter().position(|e| e.moment() > known)?;
    let (a, b) = if first > 0 {
        (first - 1, first)
    } else {
        (0, 1)
    };
    let (near, far) = (all.get(a)?, all.get(b)?);
    let (x, y) = (volatility(seen, near)?, volatility(seen, far)?);
    Some(MovePriced {
        of: event_move(x, y, seen.at.years_until(known)).ok()?,
        near: (near.date, x.1),
        far: (far.date, y.1),
        both: first == 0,
    })
}

/// News of an underlying: earnings or decisions, past and announced, by date.
fn news_of(seen: &UnderlyingAt<'_>) -> Vec<Announced> {
    let mut all = seen.world.announced(seen.symbol(), seen.at);
    all.retain(|e| e.kind != AnnouncedKind::ExDividend);
    all
}

/// The next news.
pub fn next_news(seen: &UnderlyingAt<'_>) -> Option<Announced> {
    news_of(seen).into_iter().find(|e| e.known > seen.at)
}

/// Sizes of past moves.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct PastMoves {
    /// How many such news lie in the past that is known.
    pub count: usize,
    /// The mean size of the moves, as a fraction of the price.
    pub mean: f64,
    /// Its standard error; nothing of fewer than two.
    pub error: Option<f64>,
}

impl PastMoves {
    fn of(sizes: &[f64]) -> PastMoves {
        if sizes.is_empty() {
            return PastMoves::default();
        }
        let n = sizes.len() as f64;
        let mean = sizes.iter().sum::<f64>() / n;
        let squares: f64 = sizes.iter().map(|x| (x - mean).powi(2)).sum();
        PastMoves {
            count: sizes.len(),
            mean,
            error: (sizes.len() > 1).then(|| (squares / (n - 1.0) / n).sqrt()),
        }
    }

    /// Something over their mean, with the error that the mean's brings.
    pub fn ratio(&self, of: f64) -> Option<(f64, Option<f64>)> {
        let ratio = (self.count > 0 && self.mean > 0.0).then(|| of / self.mean)?;
        Some((ratio, self.error.map(|e| ratio * e / self.mean)))
    }
}

/// Sizes of the moves over all past news of a kind: from the close before it to the first trading that
/// knows it.
pub fn past_moves(seen: &UnderlyingAt<'_>, kind: AnnouncedKind) -> PastMoves {
    let past = news_of(seen).into_iter();
    let sizes: Vec<f64> = past
        .filter(|e| e.kind == kind && e.known <= seen.at)
        .filter_map(|e| {
            let price = |at| Some(seen.world.spot(seen.symbol(), at)?.to_f64());
            Some((price(e.known)? / price(last_close(e.known))? - 1.0).abs())
        })
        .collect();
    PastMoves::of(&sizes)
}

/// An expiration around past news.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct VolAround {
    /// The day of the news.
    pub date: Date,
    /// Volatility at the forward at the look before.
    pub before: f64,
    /// At the look after; nothing where it has ended by then.
    pub after: Option<f64>,
    /// It ends behind the news.
    pub contains: bool,
}

/// One past news.
#[derive(Debug, Clone, PartialEq)]
pub struct PastNews {
    /// What it was.
    pub news: Announced,
    /// The look before.
    pub before: Moment,
    /// The look after.
    pub after: Moment,
    /// The last price before the news, per unit.
    pub price_before: Price,
    /// The price by which the move is measured, per unit.
    pub price_after: Price,
    /// Its move from look to look, a fraction.
    pub moved: f64,
    /// What was priced; nothing where the expirations did not tell it.
    pub priced: Option<MovePriced>,
    /// One deviation that was priced from look to look, of the logarithm of the price: the news, and
    /// the base between.
    pub deviation: Option<f64>,
    /// Part of the priced law below the move.
    pub place: Option<f64>,
    /// Volatilities by expiration, the first four.
    pub vols: Vec<VolAround>,
}

impl PastNews {
    /// It lies outside of one deviation of what was priced.
    pub fn outside(&self) -> Option<bool> {
        let log = (self.price_after.to_f64() / self.price_before.to_f64()).ln();
        self.deviation.map(|d| log.abs() > d)
    }
}

/// So many past ones at most.
const MOST_PAST: usize = 24;
/// Expirations told around each.
const VOLS: usize = 4;

fn past_one(seen: &UnderlyingAt<'_>, news: Announced, looks: Looks) -> Option<PastNews> {
    let (before, after) = looks.around(news.known);
    let world = seen.world;
    if after > seen.at || !world.knows_chain(seen.symbol(), before) {
        return None;
    }
    let then = UnderlyingAt {
        at: before,
        ..*seen
    };
    let later = UnderlyingAt { at: after, ..*seen };
    let price_before = world.spot(seen.symbol(), before)?;
    let price_after = world.spot(seen.symbol(), after)?;
    let ratio = price_after.to_f64() / price_before.to_f64();
    let priced = move_priced(&then, news.known);
    let deviation = priced.map(|p| {
        let base = p.of.base_vol.powi(2) * before.years_until(after);
        (p.of.deviation.powi(2) + base).sqrt()
    });
    let deviation = deviation.filter(|d| *d > 0.0);
    let expirations = then.expirations().into_iter().take(VOLS);
    let vols = expirations.filter_map(|e| {
        Some(VolAround {
            date: e.date,
            before: volatility(&then, &e)?.1,
            after: volatility(&later, &e).map(|v| v.1),
            contains: e.moment() > news.known,
        })
    });
    Some(PastNews {
        vols: vols.collect(),
        moved: ratio - 1.0,
        place: deviation.map(|d| cdf((ratio.ln() + d * d / 2.0) / d)),
        deviation,
        priced,
        price_before,
        price_after,
        before,
        after,
        news,
    })
}

/// Past news of the kind of the next one, the newest first; of all where nothing is ahead.
pub fn past_news(seen: &UnderlyingAt<'_>, looks: Looks) -> Vec<PastNews> {
    let kind = next_news(seen).map(|n| n.kind);
    let past = news_of(seen).into_iter().rev();
    past.filter(|e| e.known <= seen.at && kind.is_none_or(|k| e.kind == k))
        .filter_map(|e| past_one(seen, e, looks))
        .take(MOST_PAST)
        .collect()
}

/// What past moves say of what was priced for them.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PricedAgainstReal {
    /// How many had a price.
    pub count: usize,
    /// How many moved more than one deviation.
    pub outside: usize,
    /// Mean of the squares of the moves in deviations: 1 where they were priced as they came, less where
    /// they were priced dear.
    pub squares: f64,
    /// Its standard error; nothing of fewer than two.
    pub error: Option<f64>,
}

/// What past moves say of what was priced for them.
pub fn priced_against_real(past: &[PastNews]) -> PricedAgainstReal {
    let squares: Vec<f64> = past
        .iter()
        .filter_map(|p| {
            let log = (p.price_after.to_f64() / p.price_before.to_f64()).ln();
            Some((log / p.deviation?).powi(2))
        })
        .collect();
    let of = PastMoves::of(&squares);
    PricedAgainstReal {
        count: of.count,
        outside: past.iter().filter(|p| p.outside() == Some(true)).count(),
        squares: of.mean,
        error: of.error,
    }
}
