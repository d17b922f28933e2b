//! Every underlying in one row: is it dear, what comes, what does trading it cost, what does it add
//! to my book.

use desk::rules::sessions_to;
use desk::{
    Campaign, Contract, Expiration, Holding, Kind, Leg, Moment, Money, Price, Quote, Underlying,
    package_quote,
};
use jiff::civil::Date;
use market::{Quoter, UnderlyingAt};
use rayon::prelude::*;

use crate::scouting::{move_priced, next_news, one_month_each, past_moves};
use engine::campaigns::all_open;
use engine::money::account_value;
use engine::sight::{at_risk, realised30, vol_standing, vol30};
use engine::state::State;

/// News that is scheduled, and what it is priced at.
#[derive(Debug, Clone, PartialEq)]
pub struct News {
    /// The day of the news.
    pub date: Date,
    /// In plain words.
    pub what: String,
    /// Sessions to it.
    pub sessions: i64,
    /// Mean size of the move that is priced for it, a fraction; nothing where the expirations do not
    /// tell it.
    pub priced: Option<f64>,
    /// Mean size of the moves at past ones of its kind.
    pub real: Option<f64>,
    /// How many those were.
    pub past: usize,
}

/// What it costs to go into an at-the-money vertical as wide as the expected move and out again.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct RoundTrip {
    /// The market crossed twice and four contracts' fees.
    pub cost: Money,
    /// In percent of the width.
    pub of_width: f64,
    /// Calendar days to its expiration.
    pub days: i64,
}

/// What is told of one underlying when all are compared.
#[derive(Debug, Clone, PartialEq)]
pub struct UniverseRow {
    /// The symbol by which it is traded.
    pub symbol: String,
    /// The name in full.
    pub name: String,
    /// The sector, where one is told.
    pub sector: Option<String>,
    /// The price now, per unit.
    pub price: Price,
    /// Change since the close before, a fraction of it.
    pub change: Option<f64>,
    /// Closes of the past month, oldest first.
    pub month: Vec<f64>,
    /// Implied volatility of 30 days.
    pub implied: Option<f64>,
    /// Where it stands between the lowest and the highest of its past year, percent.
    pub rank: Option<f64>,
    /// Closes of the past year below it, percent.
    pub percentile: Option<f64>,
    /// Realised over the past 30 sessions.
    pub realised: Option<f64>,
    /// Chance that the price stays within one deviation that is priced if it moves as it did over those
    /// sessions.
    pub within_one: Option<f64>,
    /// Volatility of the first expiration at least a week ahead less that of one near three months, a
    /// fraction.
    pub near_far: Option<f64>,
    /// Volatility of the put at delta −0.25 less that of the call at 0.25, near thirty days.
    pub put_call: Option<f64>,
    /// The next earnings or decision.
    pub news: Option<News>,
    /// What trading costs.
    pub round_trip: Option<RoundTrip>,
    /// Contracts open in the expiration near thirty days.
    pub open_interest: Option<i64>,
    /// And traded there today.
    pub volume: Option<i64>,
    /// How much it moves with the index.
    pub beta: f64,
    /// Open campaigns in it.
    pub held: usize,
    /// Capital at risk in it, percent of the account.
    pub risk: f64,
    /// The same in its sector; nothing without one.
    pub sector_risk: Option<f64>,
}

/// The expiration nearest to so many days ahead.
fn near(all: &[Expiration], at: Moment, days: i64) -> Option<&Expiration> {
    all.iter()
        .min_by_key(|e| (at.days_until(e.date) - days).abs())
}

/// Volatility at the forward of an expiration, and its years.
fn volatility(state: &State, symbol: &str, e: &Expiration) -> Option<(f64, f64)> {
    let at = state.clock.now;
    let years = at.years_until(e.moment());
    let variance = state.world.total_variance(symbol, at, e.moment())?;
    (years > 0.0 && variance > 0.0).then(|| (years, (variance / years).sqrt()))
}

fn news(seen: &UnderlyingAt<'_>) -> Option<News> {
    let next = next_news(seen)?;
    let past = past_moves(seen, next.kind);
    Some(News {
        date: next.date,
        sessions: sessions_to(seen.at.date(), next.date),
        priced: move_priced(seen, next.known).map(|p| p.of.mean_move),
        real: (past.count > 0).then_some(past.mean),
        past: past.count,
        what: next.what,
    })
}

/// The market in the options of one expiration.
struct Chained {
    contract: Contract,
    quote: Quote,
    delta: f64,
    implied: Option<f64>,
}

fn chained(state: &State, quoter: &mut Quoter, u: &Underlying, e: &Expiration) -> Vec<Chained> {
    let chain = quoter.chain(&state.world, u, e, state.clock.now);
    let each = chain.into_iter().map(|(contract, l)| Chained {
        contract,
        quote: l.quote,
        delta: l.delta,
        implied: l.implied,
    });
    each.collect()
}

/// The option of a right whose delta is nearest to a size.
fn at_delta(chain: &[Chained], kind: Kind, size: f64) -> Option<f64> {
    let side = chain.iter().filter(|c| c.contract.kind == kind);
    let quoted = side.filter(|c| c.implied.is_some());
    let away = |c: &&Chained| (c.delta.abs() - size).abs();
    quoted.min_by(|a, b| away(a).total_cmp(&away(b)))?.implied
}

/// Into a call vertical from the strike nearest to the price to that one expected move higher, and
/// out of it, at the far sides.
fn round_trip(
    state: &State,
    u: &Underlying,
    chain: &[Chained],
    (spot, deviation, days): (f64, f64, i64),
) -> Option<RoundTrip> {
    let calls = || chain.iter().filter(|c| c.contract.kind == Kind::Call);
    let nearest = |price: f64| {
        let away = |c: &&Chained| (c.contract.strike.to_f64() - price).abs();
        calls().min_by(|a, b| away(a).total_cmp(&away(b)))
    };
    let (low, high) = (nearest(spot)?, nearest(spot * deviation.exp())?);
    let width = high.contract.strike - low.contract.strike;
    if width <= Price::ZERO {
        return None;
    }
    let legs = Holding::new([
        Leg::option(low.contract.clone(), 1),
        Leg::option(high.contract.clone(), -1),
    ]);
    let quotes: Vec<Quote> = legs
        .legs()
        .iter()
        .filter_map(|l| {
            let c = l.instrument.option()?;
            Some(if *c == low.contract {
                low.quote
            } else {
                high.quote
            })
        })
        .collect();
    let q = package_quote(&legs, &quotes, u);
    let fees = u.fees(&legs, &state.world.fees_of(&u.symbol));
    let cost = (q.cross - q.rest).times(u.multiplier) + fees + fees;
    Some(RoundTrip {
        cost,
        of_width: 100.0 * cost.to_f64() / width.times(u.multiplier).to_f64(),
        days,
    })
}

/// Capital at risk by open campaign, percent of the account.
type Risks<'a> = [(&'a Campaign, f64)];

fn row(state: &State, u: &Underlying, risks: &Risks<'_>) -> Option<UniverseRow> {
    let (world, at) = (&state.world, state.clock.now);
    let symbol = u.symbol.as_str();
    let price = world.spot(symbol, at)?;
    let before = world.previous_close(symbol, at);
    let all = world.expirations(symbol, at).unwrap_or_default();
    let month = world.closes(symbol, at, 22).unwrap_or_default();
    let standing = vol_standing(world, symbol, at);
    let week = all.iter().find(|e| at.days_until(e.date) >= 7);
    let quarter = near(&all, at, 90);
    let near_far = week
        .zip(quarter)
        .filter(|(a, b)| a.moment() < b.moment())
        .and_then(|(a, b)| {
            let (near, far) = (volatility(state, symbol, a)?, volatility(state, symbol, b)?);
            Some(near.1 - far.1)
        });
    // A reader of its own for each: what it answers does not depend on what it remembers.
    let mut quoter = Quoter::new();
    let thirty = near(&all, at, 30);
    let chain = thirty.map_or_else(Vec::new, |e| chained(state, &mut quoter, u, e));
    let deviation = thirty.and_then(|e| volatility(state, symbol, e));
    let sector = world.sector(symbol);
    let risk_of = |of: &dyn Fn(&Campaign) -> bool| -> f64 {
        risks.iter().filter(|(c, _)| of(c)).map(|(_, r)| r).sum()
    };
    let held = all_open(state)
        .iter()
        .filter(|c| c.symbol == symbol)
        .count();
    Some(UniverseRow {
        symbol: u.symbol.clone(),
        name: u.name.clone(),
        sector: sector.map(str::to_owned),
        price,
        change: before.map(|b| price.to_f64() / b.to_f64() - 1.0),
        implied: vol30(world, symbol, at),
        rank: standing.map(|s| s.rank),
        percentile: standing.map(|s| s.percentile),
        realised: realised30(world, symbol, at),
        within_one: vol30(world, symbol, at)
            .zip(realised30(world, symbol, at))
            .filter(|(_, real)| *real > 0.0)
            .map(|(implied, real)| 2.0 * quant::cdf(implied / real) - 1.0),
        month,
        near_far,
        put_call: at_delta(&chain, Kind::Put, 0.25)
            .zip(at_delta(&chain, Kind::Call, 0.25))
            .map(|(put, call)| put - call),
        news: news(&UnderlyingAt {
            world,
            underlying: u,
            at,
        }),
        round_trip: thirty.zip(deviation).and_then(|(e, (years, vol))| {
            let of = (price.to_f64(), vol * years.sqrt(), at.days_until(e.date));
            round_trip(state, u, &chain, of)
        }),
        open_interest: summed(chain.iter().map(|c| c.quote.open_interest)),
        volume: summed(chain.iter().map(|c| c.quote.volume)),
        beta: world.beta(symbol, at),
        held,
        risk: risk_of(&|c| c.symbol == symbol),
        sector_risk: sector.map(|own| risk_of(&|c| world.sector(&c.symbol) == Some(own))),
    })
}

/// Options that end sooner do not make a month of a future one to look at.
const SOON: i64 = 7;

/// Every underlying that is traded now; of a future its first month with options that last, and those
/// held.
pub fn universe(state: &State, quoter: &mut Quoter) -> Vec<UniverseRow> {
    let value = account_value(state, quoter).to_f64();
    let part = |risk: Money| {
        if value > 0.0 {
            100.0 * risk.to_f64() / value
        } else {
            0.0
        }
    };
    let risks: Vec<(&Campaign, f64)> = all_open(state)
        .into_iter()
        .map(|c| (c, part(at_risk(state, quoter, c))))
        .collect();
    let at = state.clock.now;
    let lasts = |u: &Underlying| {
        let all = state.world.expirations(&u.symbol, at).unwrap_or_default();
        !u.settles_daily() || all.iter().any(|e| at.days_until(e.date) >= SOON)
    };
    // A row is a function of the moment, whatever thread works it out.
    one_month_each(state, lasts)
        .par_iter()
        .filter_map(|u| row(state, u, &risks))
        .collect()
}

/// The sum of what is known; nothing where nothing is.
fn summed(all: impl Iterator<Item = Option<i64>>) -> Option<i64> {
    all.flatten().reduce(|sum, more| sum + more)
}
