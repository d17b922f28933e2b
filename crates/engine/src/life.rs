//! The life of a campaign in the market that was: looks at each of its chapters, each close, and now.

use std::collections::{BTreeMap, BTreeSet};

use desk::calendar::{close_of, is_session, next_session};
use desk::life::{Look, Looked, Stride, held_by, life};
use desk::{Campaign, Carry, Holding, Kind, Leg, Legs, Moment, Price, Underlying};
use market::Quoter;

use crate::refusal::Refusal;
use crate::state::{State, underlying_of};

/// Most looks at one life.
const MOST: usize = 1_000;

fn unknown(message: &str) -> Refusal {
    Refusal::Field {
        field: "campaign",
        message: message.into(),
    }
}

/// What a campaign made from look to look.
///
/// # Errors
/// There is no such campaign, it held futures themselves (they are settled each day), it lived too
/// long, or the market of a look is not known.
pub fn life_of(state: &State, quoter: &mut Quoter, campaign: u64) -> Result<Vec<Stride>, Refusal> {
    let found = state.account.campaign(campaign);
    let c = found.ok_or(Refusal::NoCampaign(campaign))?;
    let u = underlying_of(state, &c.symbol)?;
    if holds_futures(c, u) {
        return Err(unknown(
            "it held futures themselves, which are settled every day: its parts are not told",
        ));
    }
    let moments = moments(state, c);
    if moments.len() > MOST {
        return Err(unknown("it lived too long for its parts to be told"));
    }
    let looks = moments
        .into_iter()
        .map(|at| look(state, quoter, c, at))
        .collect::<Option<Vec<Look>>>();
    looks
        .and_then(|looks| life(&c.chapters, &looks, u))
        .ok_or_else(|| unknown("the market of a day that it lived through is not known"))
}

/// Each chapter, the closes while anything was held, and now.
fn moments(state: &State, c: &Campaign) -> BTreeSet<Moment> {
    let now = state.clock.now;
    let mut out: BTreeSet<Moment> = c.chapters.iter().map(|chapter| chapter.at).collect();
    let is_open = state.account.lots_of(c.id).next().is_some();
    let (Some(first), Some(last)) = (out.first().copied(), out.last().copied()) else {
        return out;
    };
    let until = if is_open { now } else { last };
    let mut day = first.date();
    while day <= until.date() && out.len() <= MOST {
        let close = close_of(day);
        if is_session(day) && close > first && close <= until {
            out.insert(close);
        }
        day = next_session(day);
    }
    out.insert(until);
    out
}

/// Everything that was held just before or just after a moment, as it stood then.
pub(crate) fn look(state: &State, quoter: &mut Quoter, c: &Campaign, at: Moment) -> Option<Look> {
    let u = state.world.underlying(&c.symbol)?;
    let spot = state.world.spot(&c.symbol, at)?;
    let carry = state
        .world
        .carry(&c.symbol, at)
        .unwrap_or(Carry::Yield(0.0));
    let mut all = held_by(&c.chapters, at);
    all.extend(held_by(&c.chapters, at.plus_millis(-1)));
    let here = c.chapters.iter().filter(|chapter| chapter.at == at);
    all.extend(here.flat_map(|chapter| chapter.legs.iter().cloned()));
    let mut legs = BTreeMap::new();
    for instrument in all.into_keys() {
        let ended = instrument.option().filter(|o| u.expiry_moment(o) <= at);
        let looked = if let Some(o) = ended {
            let inside = match o.kind {
                Kind::Call => spot - o.strike,
                Kind::Put => o.strike - spot,
            };
            Looked {
                mark: inside.max(Price::ZERO),
                vol: 0.0,
                rate: 0.0,
                greeks: desk::PositionGreeks::default(),
            }
        } else {
            let market = quoter.leg_any(&state.world, &instrument, at)?;
            let one = Holding::new([Leg {
                instrument: instrument.clone(),
                quantity: 1,
            }]);
            let priced = Legs::at(&one, u, &[market], (&carry, spot), at).ok()?;
            Looked {
                mark: market.quote.mark(),
                vol: market.vol,
                rate: if instrument.option().is_some() {
                    market.rate
                } else {
                    0.0
                },
                greeks: *priced.greeks(spot.to_f64()).ok()?.first()?,
            }
        };
        legs.insert(instrument, looked);
    }
    Some(Look {
        at,
        spot: spot.to_f64(),
        legs,
    })
}

/// Futures themselves are settled every day: their profit is not told in parts.
pub(crate) fn holds_futures(campaign: &Campaign, u: &Underlying) -> bool {
    let itself = |(i, _): &(desk::Instrument, i64)| i.option().is_none();
    u.settles_daily() && campaign.chapters.iter().any(|c| c.legs.iter().any(itself))
}
