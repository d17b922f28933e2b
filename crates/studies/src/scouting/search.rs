//! The search: what is expected of one underlying, of several or of all, and the structures that make
//! most of it.

use desk::rules::{Measure, most_at_risk, ruling};
use desk::rules::{Side, Subject};
use desk::{
    EntryPrice, Evaluation, Holding, Instrument, Leg, Money, Proposal, Structure, Underlying,
};
use jiff::civil::Date;
use market::{Quoter, UnderlyingAt};
use plans::scout::{
    ExpectationError, FoundBest, JudgedFold, Laws, LeanBand, Region, ScoutAsked, ScoutError,
    ScoutLimit, ScoutProgress, WatchOne, best,
};
use thiserror::Error;

use super::ground::{Ground, GroundError, LawFrom, thin};
use engine::Refusal;
use engine::campaigns::all_open;
use engine::money::{account_value, evaluate};
use engine::sight::{book_greeks, index_price};
use engine::state::State;

/// Where the price is expected.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Where {
    /// Between two prices; nothing for an open side.
    Prices(Option<f64>, Option<f64>),
    /// Between two numbers of deviations from the price of now.
    Deviations(Option<f64>, Option<f64>),
}

/// What is expected of a price.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Expectation {
    /// The date by which the price is expected there.
    pub by: Date,
    /// Where the price is expected to lie.
    pub region: Where,
    /// How surely; nothing: as the market says.
    pub sure: Option<f64>,
    /// What the market's law is taken from.
    pub law: LawFrom,
}

/// Why an expectation cannot be judged.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum SearchError {
    /// Nothing to stand on.
    #[error(transparent)]
    Ground(#[from] GroundError),
    /// It is none.
    #[error(transparent)]
    Expectation(#[from] ExpectationError),
    /// Nothing can be found.
    #[error(transparent)]
    Scout(#[from] ScoutError),
}

/// What the market says of an expectation.
pub struct Expected<'a> {
    /// What it stands on.
    pub ground: Ground<'a>,
    /// The market's law of the price and one's own.
    pub laws: Laws,
    /// The region in prices; 0 and infinity where open.
    pub region: (f64, f64),
    /// The market's chance of it.
    pub market: f64,
    /// One's own chance of it, from 0 to 1.
    pub sure: f64,
}

/// The underlying of now.
///
/// # Errors
/// It is not known.
pub fn seen_now<'a>(state: &'a State, symbol: &str) -> Result<UnderlyingAt<'a>, Refusal> {
    Ok(UnderlyingAt {
        world: &state.world,
        underlying: engine::state::underlying_of(state, symbol)?,
        at: state.clock.now,
    })
}

/// What the market says of an expectation, at a moment.
///
/// # Errors
/// Too little is known, or it is no expectation.
pub fn expected<'a>(
    seen: UnderlyingAt<'a>,
    expectation: &Expectation,
) -> Result<Expected<'a>, SearchError> {
    let ground = Ground::new(seen, expectation.by)?;
    let (low, high) = match expectation.region {
        Where::Prices(low, high) => (low, high),
        Where::Deviations(low, high) => (
            low.map(|k| ground.deviations_away(k)),
            high.map(|k| ground.deviations_away(k)),
        ),
    };
    let region = (low.unwrap_or(0.0), high.unwrap_or(f64::INFINITY));
    let law = ground.law(expectation.law)?;
    let market = law.below(region.1) - law.below(region.0);
    let sure = expectation.sure.unwrap_or(market.clamp(0.0, 1.0));
    let one = Region {
        low: region.0,
        high: region.1,
        sure,
    };
    let laws = Laws::new(law, &[one])?;
    Ok(Expected {
        ground,
        laws,
        region,
        market,
        sure,
    })
}

/// What is searched for.
#[derive(Debug, Clone)]
pub struct SearchAsked {
    /// What is expected.
    pub expectation: Expectation,
    /// Families, prices, rank and limits of one's own.
    pub what: ScoutAsked,
    /// So many expirations from the date on.
    pub expirations: usize,
    /// So many strikes of an expiration at most; nothing: every one that is listed.
    pub strikes: Option<usize>,
    /// So many rows.
    pub rows: usize,
    /// Only what the account's level allows.
    pub within_level: bool,
    /// Only what my rule about risk allows.
    pub within_rule: bool,
    /// Only what keeps the book's lean in its band, or leads it back there.
    pub within_lean: bool,
}

/// A row of what was found.
#[derive(Debug, Clone)]
pub struct FoundRow {
    /// The symbol of the underlying that it is on.
    pub symbol: String,
    /// The candidate, and how many are nearly like it.
    pub fold: JudgedFold,
}

/// What was found over all that was looked at.
#[derive(Debug, Clone, Default)]
pub struct SearchFound {
    /// What was found, the best first.
    pub rows: Vec<FoundRow>,
    /// How many were judged.
    pub judged: usize,
    /// How many each limit ruled out.
    pub ruled_out: Vec<(ScoutLimit, usize)>,
    /// Longer options without an implied volatility.
    pub unvalued: usize,
    /// Underlyings that could not be looked over, and why.
    pub left_out: Vec<(String, String)>,
    /// It was stopped.
    pub stopped: bool,
}

/// How far a search over several is.
#[derive(Debug, Clone, PartialEq)]
pub struct SearchProgress {
    /// Which underlying is looked over.
    pub symbol: String,
    /// Underlyings that are done.
    pub done: usize,
    /// Of so many.
    pub of: usize,
    /// How far that one is.
    pub within: ScoutProgress,
    /// Candidates judged in all.
    pub judged: usize,
}

/// The bands of rules and account as limits of the search for one underlying.
fn limited(state: &State, quoter: &mut Quoter, symbol: &str, asked: &SearchAsked) -> ScoutAsked {
    let mut what = asked.what.clone();
    if asked.within_level {
        what.limits.account = Some(state.rules);
    }
    if asked.within_rule {
        let value = account_value(state, quoter);
        what.limits.rule = most_at_risk(&state.my_rules, (Structure::Other, symbol, None), value);
    }
    if asked.within_lean {
        what.limits.lean = lean_band(state, quoter, symbol);
    }
    what
}

/// The band of the lean that my rules keep, and where the book stands; nothing without such a rule.
fn lean_band(state: &State, quoter: &mut Quoter, symbol: &str) -> Option<LeanBand> {
    let account = ruling(
        &state.my_rules,
        Subject::Account,
        (Structure::Other, "", None),
    );
    let limits = |side: Side| {
        let of = account.iter().map(|r| r.rule.condition);
        of.filter(move |c| c.measure == Measure::Lean && c.side == side)
            .map(|c| c.limit.to_f64())
    };
    let from = limits(Side::Below).max_by(f64::total_cmp);
    let to = limits(Side::Above).min_by(f64::total_cmp);
    if from.is_none() && to.is_none() {
        return None;
    }
    let spot = state.world.spot(symbol, state.clock.now)?;
    Some(LeanBand {
        now: book_greeks(state, quoter).lean,
        of_delta: desk::book::weight(
            state.world.beta(symbol, state.clock.now),
            spot.to_f64(),
            index_price(state),
        ),
        from: from.unwrap_or(f64::NEG_INFINITY),
        to: to.unwrap_or(f64::INFINITY),
    })
}

/// Searches one underlying.
///
/// # Errors
/// It cannot be looked over.
pub fn search_one(
    state: &State,
    quoter: &mut Quoter,
    symbol: &str,
    asked: &SearchAsked,
    stop: &(dyn Fn() -> bool + Sync),
    watch: &mut WatchOne<'_>,
) -> Result<FoundBest, SearchError> {
    let seen = seen_now(state, symbol).map_err(|_| GroundError::NoPrice)?;
    let e = expected(seen, &asked.expectation)?;
    let mut endings = e.ground.some_endings(quoter, asked.expirations);
    if let Some(most) = asked.strikes {
        for ending in &mut endings {
            thin(ending, asked.what.reach, most);
        }
    }
    let scouted = e.ground.scouted(&e.laws, endings);
    let what = limited(state, quoter, symbol, asked);
    Ok(best(&scouted, &what, asked.rows, stop, watch)?)
}

/// What is heard of a search: how far it is, and the best so far.
pub type Watch<'w> = dyn FnMut(&SearchProgress, &dyn Fn() -> Vec<FoundRow>) + 'w;

/// Rows of one underlying that are given at most when several are searched: all may be best in one.
pub fn most_of_each(symbols: usize, rows: usize) -> usize {
    if symbols < 2 {
        rows
    } else {
        (2 * rows / symbols).max(4)
    }
}

/// Rows of several, best first.
fn merged(mut rows: Vec<FoundRow>, most: usize) -> Vec<FoundRow> {
    rows.sort_by(|a, b| {
        b.fold
            .rank
            .total_cmp(&a.fold.rank)
            .then_with(|| a.symbol.cmp(&b.symbol))
    });
    rows.truncate(most);
    rows
}

fn rows_of(symbol: &str, folds: Vec<JudgedFold>, most: usize) -> Vec<FoundRow> {
    let row = |fold| FoundRow {
        symbol: symbol.to_owned(),
        fold,
    };
    folds.into_iter().take(most).map(row).collect()
}

/// Searches one underlying after the other; those that cannot be looked over are named. When `stop`
/// answers true it ends with what it has.
pub fn search(
    state: &State,
    quoter: &mut Quoter,
    (symbols, asked): (&[String], &SearchAsked),
    stop: &(dyn Fn() -> bool + Sync),
    watch: &mut Watch<'_>,
) -> SearchFound {
    let mut out = SearchFound::default();
    let each = most_of_each(symbols.len(), asked.rows);
    for (done, symbol) in symbols.iter().enumerate() {
        let before = &out.rows;
        let judged = out.judged;
        let found = search_one(state, quoter, symbol, asked, stop, &mut |within, so_far| {
            let progress = SearchProgress {
                symbol: symbol.clone(),
                done,
                of: symbols.len(),
                judged: judged + within.judged,
                within,
            };
            watch(&progress, &|| {
                let mut rows = before.clone();
                rows.extend(rows_of(symbol, so_far(), each));
                merged(rows, asked.rows)
            });
        });
        match found {
            Ok(found) => {
                out.judged += found.judged;
                out.unvalued += found.unvalued;
                for (limit, n) in found.ruled_out {
                    match out.ruled_out.iter_mut().find(|(l, _)| *l == limit) {
                        Some(known) => known.1 += n,
                        None => out.ruled_out.push((limit, n)),
                    }
                }
                let mut rows = std::mem::take(&mut out.rows);
                rows.extend(rows_of(symbol, found.rows, each));
                out.rows = merged(rows, asked.rows);
                if found.stopped {
                    out.stopped = true;
                    break;
                }
            }
            Err(why) => out.left_out.push((symbol.clone(), why.to_string())),
        }
    }
    out.ruled_out.sort_unstable();
    out
}

/// The product that a month of a future is one of: its symbol without a letter and a digit.
fn product(u: &Underlying) -> &str {
    let code = u.symbol.get(..u.symbol.len().saturating_sub(2));
    code.unwrap_or(&u.symbol)
}

/// Every underlying with options that `counts`; of a future its first such month, and those held.
pub(crate) fn one_month_each(
    state: &State,
    counts: impl Fn(&Underlying) -> bool,
) -> Vec<&Underlying> {
    let mut products: Vec<&str> = Vec::new();
    let all = state.world.underlyings(state.clock.now);
    all.filter(|u| counts(u))
        .filter(|u| {
            if !u.settles_daily() {
                return true;
            }
            let first = !products.contains(&product(u));
            products.push(product(u));
            first || all_open(state).iter().any(|c| c.symbol == u.symbol)
        })
        .collect()
}

/// Every underlying that a search over all looks at: those with options that last to the date; of a
/// future its first such month, and those held.
pub fn searched(state: &State, by: Date) -> Vec<String> {
    let lasts = |u: &Underlying| {
        let all = state.world.expirations(&u.symbol, state.clock.now);
        all.is_some_and(|all| all.iter().any(|e| e.date >= by))
    };
    let all = one_month_each(state, lasts).into_iter();
    all.map(|u| u.symbol.clone()).collect()
}

/// One package of a row as a proposal at its price: what the rest of the program judges.
pub fn proposal_of(row: &FoundRow) -> Proposal {
    let legs = row.fold.pack.legs.iter();
    let legs = legs.map(|(instrument, n)| Leg {
        instrument: instrument.clone(),
        quantity: *n,
    });
    Proposal {
        structure: Holding::new(legs),
        entry: EntryPrice::Net(row.fold.pack.price),
        realised: Money::ZERO,
        range: None,
        closing: false,
    }
}

/// A row judged as everything else is.
///
/// # Errors
/// As of any draft.
pub fn judged(state: &State, quoter: &mut Quoter, row: &FoundRow) -> Result<Evaluation, Refusal> {
    evaluate(state, quoter, &row.symbol, &proposal_of(row))
}

/// Units of the underlying that are held and that its options could stand on.
pub fn held_units(state: &State, symbol: &str) -> i64 {
    state
        .account
        .held(&Instrument::Underlying(symbol.to_owned()))
}
