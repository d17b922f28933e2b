//! What a structure around the next news would have made around past ones: carried back at the same
//! distances, entered and left at looks of one's choice.

use desk::{Expiration, Holding, Instrument, Kind, Leg, Money, Price};
use market::{Announced, Listed, Quoter, UnderlyingAt};

use super::news::{Looks, PastNews, next_news, past_news, volatility};

/// What distances are measured by when a structure is carried back.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Distance {
    /// The size of delta.
    Delta,
    /// Deviations of its expiration from the forward.
    Deviations,
}

/// What a structure would have made around one past news.
#[derive(Debug, Clone, PartialEq)]
pub struct Replayed {
    /// The news that it was lived through.
    pub news: PastNews,
    /// What it would have been; or why there was none.
    pub made: Result<ReplayMade, String>,
}

/// A structure of the past, and what it made.
#[derive(Debug, Clone, PartialEq)]
pub struct ReplayMade {
    /// The legs that stood for it at that time.
    pub legs: Holding,
    /// Paid at the middle to enter, received below zero, before fees.
    pub paid: Money,
    /// Profit at the middles, after fees.
    pub middle: Money,
    /// Profit at the far side of every leg, in and out, after fees.
    pub far: Money,
}

/// One leg as it is now, told so that it can be found in the past.
struct Distant {
    kind: Kind,
    quantity: i64,
    /// Its size by what it is measured by.
    distance: f64,
    /// Days from the news to its end.
    days: i64,
    contains: bool,
}

/// Options of an expiration with their markets.
type Chain = Vec<(desk::Contract, Listed)>;

fn chain(seen: &UnderlyingAt<'_>, quoter: &mut Quoter, e: &Expiration) -> Chain {
    quoter.chain(seen.world, seen.underlying, e, seen.at)
}

/// How far a strike lies from the forward, in deviations of its expiration.
fn deviations(seen: &UnderlyingAt<'_>, e: &Expiration, strike: Price) -> Option<f64> {
    let forward = seen.carried(e)?.forward;
    let (years, vol) = volatility(seen, e)?;
    Some((strike.to_f64() / forward).ln() / (vol * years.sqrt()))
}

fn distance(
    seen: &UnderlyingAt<'_>,
    e: &Expiration,
    (c, l): &(desk::Contract, Listed),
    by: Distance,
) -> Option<f64> {
    match by {
        Distance::Delta => Some(l.delta.abs()),
        Distance::Deviations => deviations(seen, e, c.strike),
    }
}

/// The legs of a structure told by their distances, and the units of the underlying in it.
fn distant(
    seen: &UnderlyingAt<'_>,
    quoter: &mut Quoter,
    legs: &Holding,
    (next, by): (&Announced, Distance),
) -> Result<(Vec<Distant>, i64), String> {
    let (all, u) = (seen.expirations(), seen.underlying);
    let mut out = Vec::new();
    for (c, quantity) in legs.options() {
        let none = || format!("{} is not listed now", c.label());
        let e = all
            .iter()
            .find(|e| e.date == c.expiry && u.root_for(e) == c.root)
            .ok_or_else(none)?;
        let listed = chain(seen, quoter, e).into_iter().find(|(x, _)| x == c);
        let listed = listed.ok_or_else(none)?;
        out.push(Distant {
            kind: c.kind,
            quantity,
            distance: distance(seen, e, &listed, by).ok_or_else(none)?,
            days: desk::day_number(e.date) - desk::day_number(next.date),
            contains: e.moment() > next.known,
        });
    }
    Ok((out, legs.underlying_quantity()))
}

/// The same structure at the look before past news.
fn carried_back(
    then: &UnderlyingAt<'_>,
    quoter: &mut Quoter,
    (legs, units): &(Vec<Distant>, i64),
    (news, by): (&Announced, Distance),
) -> Result<Holding, String> {
    let all = then.expirations();
    let mut out: Vec<Leg> = Vec::new();
    for leg in legs {
        let days = |e: &&Expiration| desk::day_number(e.date) - desk::day_number(news.date);
        let e = all
            .iter()
            .filter(|e| (e.moment() > news.known) == leg.contains)
            .min_by_key(|e| ((days(e) - leg.days).abs(), e.date))
            .ok_or("no expiration was listed at that distance")?;
        let side = chain(then, quoter, e).into_iter();
        let mut side: Chain = side.filter(|(c, _)| c.kind == leg.kind).collect();
        side.sort_by_key(|(c, _)| c.strike);
        let away = |row: &(desk::Contract, Listed)| {
            distance(then, e, row, by).map_or(f64::INFINITY, |d| (d - leg.distance).abs())
        };
        let found = side
            .iter()
            .min_by(|a, b| away(a).total_cmp(&away(b)))
            .ok_or("no such option was listed")?;
        if out.iter().any(|l| l.instrument.option() == Some(&found.0)) {
            return Err(format!("two legs meet at {}", found.0.label()));
        }
        out.push(Leg::option(found.0.clone(), leg.quantity));
    }
    if *units != 0 {
        out.push(Leg {
            instrument: Instrument::Underlying(then.symbol().to_owned()),
            quantity: *units,
        });
    }
    Ok(Holding::new(out))
}

/// What all legs come to when they are bought (and sold) at a moment, at the middle and at the far side;
/// `turn` is 1 to enter and −1 to leave. What has ended counts its exercise value and trades no more.
fn valued(
    seen: &UnderlyingAt<'_>,
    quoter: &mut Quoter,
    legs: &Holding,
    turn: i64,
) -> Result<(Money, Money, Money), String> {
    let (u, world) = (seen.underlying, seen.world);
    let (mut middle, mut far) = (Money::ZERO, Money::ZERO);
    let mut traded = Vec::new();
    for leg in legs.legs() {
        let units = u.units(&leg.instrument) * leg.quantity;
        let (mid, side) = match leg.instrument.option() {
            None => {
                let price = world.spot(&u.symbol, seen.at).ok_or("no price is known")?;
                traded.push(leg.clone());
                (price, price)
            }
            Some(c) if u.expiry_moment(c) <= seen.at => {
                let end = world.spot(&u.symbol, u.expiry_moment(c));
                let value = c.exercise_value(end.ok_or("no price is known at its end")?);
                (value, value)
            }
            Some(c) => {
                let q = quoter
                    .quote(world, c, seen.at)
                    .ok_or_else(|| format!("{} had no market", c.label()))?
                    .quote;
                traded.push(leg.clone());
                let bought = leg.quantity * turn > 0;
                (q.mid(), if bought { q.ask } else { q.bid })
            }
        };
        middle += mid.times(units);
        far += side.times(units);
    }
    let fees = u.fees(&Holding::new(traded), &world.fees_of(&u.symbol));
    Ok((middle, far, fees))
}

/// A structure around the next news carried back to each past one, newest first: at the same distances,
/// entered at the look before and left at the look after.
///
/// # Errors
/// No news is ahead, or a leg is not listed now.
pub fn replayed(
    seen: &UnderlyingAt<'_>,
    quoter: &mut Quoter,
    legs: &Holding,
    looks: Looks,
    by: Distance,
) -> Result<Vec<Replayed>, String> {
    let next = next_news(seen).ok_or_else(|| format!("no news of {} is ahead", seen.symbol()))?;
    let now = distant(seen, quoter, legs, (&next, by))?;
    let each = past_news(seen, looks).into_iter().map(|news| {
        let then = UnderlyingAt {
            at: news.before,
            ..*seen
        };
        let later = UnderlyingAt {
            at: news.after,
            ..*seen
        };
        let made = carried_back(&then, quoter, &now, (&news.news, by)).and_then(|legs| {
            let (middle, far, fees) = valued(&then, quoter, &legs, 1)?;
            let (end, end_far, end_fees) = valued(&later, quoter, &legs, -1)?;
            Ok(ReplayMade {
                legs,
                paid: middle,
                middle: end - middle - fees - end_fees,
                far: end_far - far - fees - end_fees,
            })
        });
        Replayed { news, made }
    });
    Ok(each.collect())
}
