//! What made the profit of some days: by campaign, and by price, time, volatility, interest,
//! dividends, trades and fees. The parts add up to the ledger and the marks, to the cent.

use std::collections::BTreeSet;

use desk::calendar::{close_of, is_session, next_session};
use desk::life::{Parts, held_by, life};
use desk::{Campaign, Moment, Money, Underlying};
use jiff::civil::Date;
use market::Quoter;

use crate::life::holds_futures;
use crate::life::look;
use crate::money::account_value;
use crate::refusal::Refusal;
use crate::state::State;

/// What one campaign made.
#[derive(Debug, Clone)]
pub struct CampaignMade {
    /// The number of the campaign that made it.
    pub campaign: u64,
    /// What it is on.
    pub symbol: String,
    /// What it is called.
    pub title: String,
    /// What made it.
    pub parts: Parts,
    /// Its parts are not told, and why: all of it but the fees is in the other.
    pub untold: Option<&'static str>,
}

/// What made the profit from a close to another, or to now.
#[derive(Debug, Clone)]
pub struct Explained {
    /// The close that it begins at.
    pub from: Moment,
    /// The moment at which the stretch ends.
    pub to: Moment,
    /// Value of the account at the begin and at the end.
    pub values: (Money, Money),
    /// Paid in between, taken out below zero.
    pub deposits: Money,
    /// By campaign, those that made or lost most first.
    pub made: Vec<CampaignMade>,
    /// Sum of the campaigns.
    pub sum: Parts,
    /// What the account made beyond its campaigns; 0.00 where everything was valued.
    pub beside: Money,
}

/// Most sessions that are told in parts.
pub const MOST_SESSIONS: usize = 66;

/// Closes behind a moment, up to another.
fn closes(from: Moment, to: Moment) -> Vec<Moment> {
    let mut out = Vec::new();
    let mut day = next_session(from.date());
    while close_of(day) <= to && out.len() <= MOST_SESSIONS {
        if is_session(day) {
            out.push(close_of(day));
        }
        day = next_session(day);
    }
    out
}

/// What is held of a campaign is worth so much at a look. Futures were settled at the closes, so at
/// one they are worth nothing; `now` tells what they gained since the last.
fn worth(
    c: &Campaign,
    look: &desk::life::Look,
    u: &Underlying,
    now: Option<&State>,
) -> Option<Money> {
    let mut sum = Money::ZERO;
    for (instrument, quantity) in held_by(&c.chapters, look.at) {
        let mark = look.legs.get(&instrument)?.mark;
        if !u.is_margined(&instrument) {
            sum += mark.times(quantity * u.units(&instrument));
        } else if let Some(state) = now {
            let lots = state.account.lots_of(c.id);
            let own = lots.filter(|l| l.instrument == instrument);
            sum += own.map(|l| l.worth(mark)).sum();
        }
    }
    Some(sum)
}

/// One campaign between two moments; nothing where nothing of it was there.
fn made(
    state: &State,
    quoter: &mut Quoter,
    c: &Campaign,
    (from, to): (Moment, Moment),
    closes: &[Moment],
) -> Option<CampaignMade> {
    let u = state.world.underlying(&c.symbol)?;
    let behind = |at: Moment| at > from && at <= to;
    let held_before = !held_by(&c.chapters, from).is_empty();
    let chapters: BTreeSet<Moment> = c
        .chapters
        .iter()
        .map(|x| x.at)
        .filter(|at| behind(*at))
        .collect();
    if !held_before && chapters.is_empty() {
        return None;
    }
    let named = |parts: Parts, untold: Option<&'static str>| CampaignMade {
        campaign: c.id,
        symbol: c.symbol.clone(),
        title: state
            .account
            .title(c.id, u)
            .unwrap_or_else(|| c.symbol.clone()),
        parts,
        untold,
    };
    let mut moments = chapters;
    if held_before {
        moments.insert(from);
    }
    let last_held = |at: Moment| !held_by(&c.chapters, at.plus_millis(-1)).is_empty();
    moments.extend(closes.iter().copied().filter(|at| last_held(*at)));
    if last_held(to) {
        moments.insert(to);
    }
    let futures = holds_futures(c, u);
    let looks: Option<Vec<_>> = moments
        .iter()
        .map(|at| look(state, quoter, c, *at))
        .collect();
    let looks = looks?;
    let own = c.chapters.iter().filter(|x| behind(x.at));
    let (cash, fees) = own.fold((Money::ZERO, Money::ZERO), |(cash, fees), x| {
        (cash + x.cash, fees + x.fees)
    });
    let at = |moment: Moment, now: Option<&State>| {
        let found = looks.iter().find(|l| l.at == moment);
        found.map_or(Some(Money::ZERO), |l| worth(c, l, u, now))
    };
    let is_now = (to == state.clock.now && close_of(to.date()) != to).then_some(state);
    let total = cash - fees + at(to, is_now)? - at(from, None)?;
    let told = (!futures).then(|| life(&c.chapters, &looks, u)).flatten();
    let (parts, untold) = match told {
        Some(strides) => (
            strides
                .iter()
                .filter(|s| behind(s.at))
                .fold(Parts::default(), |sum, s| sum.plus(s.parts)),
            None,
        ),
        None => (
            Parts::default(),
            Some("it held futures, which are settled every day"),
        ),
    };
    // The rest is what the total, exact as the ledger, leaves.
    let explained = parts.explained() + parts.dividends + parts.trades;
    let parts = Parts {
        total,
        fees: -fees,
        other: (total + fees).to_f64() - explained,
        ..parts
    };
    Some(named(parts, untold))
}

/// What made the profit from the close of `from` to the close of `to`, or to now.
///
/// # Errors
/// A day that has no close yet, the wrong order, or more than [`MOST_SESSIONS`].
pub fn explained(
    state: &State,
    quoter: &mut Quoter,
    from: Date,
    to: Option<Date>,
) -> Result<Explained, Refusal> {
    let now = state.clock.now;
    let wrong = |field, message: String| Refusal::Field { field, message };
    let close = |field, day: Date| {
        if is_session(day) && close_of(day) <= now {
            Ok(close_of(day))
        } else {
            Err(wrong(
                field,
                format!("{day} has no close behind us; write a session that has ended"),
            ))
        }
    };
    let begin = close("from", from)?;
    let end = match to {
        Some(day) => close("to", day)?,
        None => now,
    };
    if end < begin {
        return Err(wrong(
            "to",
            format!("{} is before {from}; write a later day", end.date()),
        ));
    }
    let closes = closes(begin, end);
    if closes.len() > MOST_SESSIONS {
        return Err(wrong(
            "from",
            format!("more than {MOST_SESSIONS} sessions lie between; choose a later day"),
        ));
    }
    let before = value_at(state, begin).ok_or_else(|| {
        wrong(
            "from",
            format!("the record has no row for {from}; the first it has begins later"),
        )
    })?;
    let after = match to {
        Some(day) => value_at(state, end)
            .ok_or_else(|| wrong("to", format!("the record has no row for {day}")))?,
        None => account_value(state, quoter),
    };
    let deposits = state.account.paid_in_since(begin) - state.account.paid_in_since(end);
    let mut all: Vec<CampaignMade> = Vec::new();
    for c in state.account.campaigns() {
        if c.chapters.first().is_none_or(|x| x.at > end) {
            continue;
        }
        all.extend(made(state, quoter, c, (begin, end), &closes));
    }
    all.sort_by_key(|m| std::cmp::Reverse(m.parts.total.raw().abs()));
    let sum = all
        .iter()
        .fold(Parts::default(), |sum, m| sum.plus(m.parts));
    Ok(Explained {
        from: begin,
        to: end,
        values: (before, after),
        deposits,
        beside: after - before - deposits - sum.total,
        made: all,
        sum,
    })
}

/// Value of the account at a close, as the record has it.
fn value_at(state: &State, close: Moment) -> Option<Money> {
    let date = close.date().to_string();
    let rows = state.days.iter().rev();
    rows.into_iter().find(|d| d.date == date).map(|d| d.value)
}
