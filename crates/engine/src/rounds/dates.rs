//! Dates ahead: what ends, what is announced, what a rule about days says, and the trader's own.

use std::collections::BTreeMap;

use desk::rules::{Measure, Rule, Subject, ruling};
use desk::{Campaign, EventKind};
use jiff::civil::Date;

use crate::campaigns::all_open;
use crate::state::State;

/// How far ahead dates are told, in days.
pub const DATES_AHEAD: i64 = 14;

/// A date ahead.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Dated {
    /// The day of the event.
    pub date: Date,
    /// What kind of date.
    pub kind: DatedKind,
    /// What happens on that day, in words.
    pub what: String,
    /// The campaign it is about.
    pub campaign: Option<u64>,
    /// Its number, for a date of the trader's own.
    pub own: Option<u64>,
}

/// Kinds of dates.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum DatedKind {
    /// Something held ends.
    Expiration,
    /// Earnings or a decision.
    News,
    /// The first day on which who buys the shares gets no dividend.
    ExDividend,
    /// A rule about days rings.
    Rule,
    /// The trader's own.
    Own,
}

/// How far ahead the next date that matters is looked for, in days.
const FAR: i64 = 400;

/// The next date behind today on which something held ends, is announced, pays or is due by a rule, or
/// that the trader wrote down.
pub fn next_that_matters(state: &State) -> Option<Dated> {
    let today = state.clock.now.date();
    dates(state, FAR).into_iter().find(|d| d.date > today)
}

/// Dates of so many days ahead.
pub(super) fn dates(state: &State, days: i64) -> Vec<Dated> {
    let now = state.clock.now;
    let soon = |date: Date| (0..=days).contains(&now.days_until(date));
    let mut out: Vec<Dated> = Vec::new();
    let mut events: BTreeMap<(String, Date, String), DatedKind> = BTreeMap::new();
    for campaign in all_open(state) {
        let Some(u) = state.world.underlying(&campaign.symbol) else {
            continue;
        };
        let held = state.account.holding_of(campaign.id);
        let title = state.account.title(campaign.id, u).unwrap_or_default();
        let named = format!("{} {title}", campaign.symbol);
        let mut ends: Vec<Date> = held.options().map(|(c, _)| c.expiry).collect();
        ends.sort_unstable();
        ends.dedup();
        for end in ends.iter().filter(|d| soon(**d)) {
            out.push(Dated {
                date: *end,
                kind: DatedKind::Expiration,
                what: named.clone(),
                campaign: Some(campaign.id),
                own: None,
            });
        }
        for e in state.world.events(&campaign.symbol, now, days) {
            let kind = match e.kind {
                EventKind::News => DatedKind::News,
                EventKind::ExDividend => DatedKind::ExDividend,
            };
            events.insert((campaign.symbol.clone(), e.date, e.what), kind);
        }
        let of_it = (
            desk::Structure::of(&held, u),
            campaign.symbol.as_str(),
            Some(campaign.id),
        );
        for r in ruling(&state.my_rules, Subject::Campaign, of_it) {
            let rings = rings_on(r.rule, ends.first().copied(), campaign);
            if let Some(date) = rings.filter(|d| soon(*d)) {
                out.push(Dated {
                    date,
                    kind: DatedKind::Rule,
                    what: format!(
                        "{named}: {} {}",
                        r.rule.condition.measure.facts().noun,
                        r.rule.condition.limit
                    ),
                    campaign: Some(campaign.id),
                    own: None,
                });
            }
        }
    }
    out.extend(
        events
            .into_iter()
            .map(|((symbol, date, what), kind)| Dated {
                date,
                kind,
                what: format!("{symbol} {what}"),
                campaign: None,
                own: None,
            }),
    );
    let own = state.own_dates.iter().filter(|d| soon(d.date));
    out.extend(own.map(|d| Dated {
        date: d.date,
        kind: DatedKind::Own,
        what: d.what.clone(),
        campaign: d.campaign,
        own: Some(d.id),
    }));
    out.sort_by(|a, b| (a.date, a.kind, &a.what).cmp(&(b.date, b.kind, &b.what)));
    out
}

/// The date on which a rule about days rings, as long as what is held stays.
fn rings_on(rule: &Rule, end: Option<Date>, campaign: &Campaign) -> Option<Date> {
    let days = rule.condition.limit.to_f64() as i64;
    match rule.condition.measure {
        Measure::DaysLeft => end?.checked_sub(jiff::Span::new().days(days)).ok(),
        Measure::DaysOpen => {
            let opened = campaign.opened()?.date();
            opened.checked_add(jiff::Span::new().days(days)).ok()
        }
        _ => None,
    }
}
