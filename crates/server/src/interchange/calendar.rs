//! Dates that matter to open campaigns as a calendar (RFC 5545): expirations, the earnings and
//! ex-dates before them, and the trader's own dates.

use engine::State as DeskState;
use icalendar::{Calendar, Component, Event, Property};

/// How far ahead events are told of what has no expiration, in days.
const AHEAD: i64 = 90;

/// One whole day.
fn day(uid: String, date: jiff::civil::Date, stamp: &str, summary: &str, about: &str) -> Event {
    let compact = |d: jiff::civil::Date| d.to_string().replace('-', "");
    let mut event = Event::new();
    event
        .uid(&uid)
        .summary(summary)
        .description(about)
        .add_property("DTSTAMP", stamp)
        .append_property(
            Property::new("DTSTART", compact(date))
                .add_parameter("VALUE", "DATE")
                .done(),
        );
    event.done()
}

/// "20310311T154207Z" of an exchange moment.
fn utc(at: desk::Moment) -> String {
    let stamp: Option<jiff::Timestamp> = at.to_string().parse().ok();
    stamp.map_or_else(String::new, |t| t.strftime("%Y%m%dT%H%M%SZ").to_string())
}

/// The calendar of all open campaigns. Its entries keep their identity from one reading to the next.
pub fn calendar(state: &DeskState) -> String {
    let now = state.clock.now;
    let stamp = utc(now);
    let mut all = Calendar::new();
    all.name("Pike Bell: open campaigns");
    let mut told = std::collections::BTreeSet::new();
    for campaign in engine::campaigns::all_open(state) {
        let (id, symbol) = (campaign.id, &campaign.symbol);
        let Some(u) = state.world.underlying(symbol) else {
            continue;
        };
        let held = state.account.holding_of(id);
        let title = state.account.title(id, u).unwrap_or_default();
        let mut ends: Vec<jiff::civil::Date> = held.options().map(|(c, _)| c.expiry).collect();
        ends.sort_unstable();
        ends.dedup();
        for end in &ends {
            let legs: Vec<String> = held
                .options()
                .filter(|(c, _)| c.expiry == *end)
                .map(|(c, quantity)| format!("{quantity:+} {}", c.label()))
                .collect();
            all.push(day(
                format!("campaign-{id}-expiration-{end}@pikebell"),
                *end,
                &stamp,
                &format!("{symbol} {title}: expiration"),
                &legs.join(", "),
            ));
        }
        let days = ends.last().map_or(AHEAD, |last| now.days_until(*last));
        for event in state.world.events(symbol, now, days) {
            // Two campaigns in one symbol share its events.
            if told.insert((symbol.clone(), event.date, event.what.clone())) {
                all.push(day(
                    format!(
                        "{symbol}-{}-{}@pikebell",
                        event.what.replace(' ', "-"),
                        event.date
                    ),
                    event.date,
                    &stamp,
                    &format!("{symbol}: {}", event.what),
                    &format!("inside {title}"),
                ));
            }
        }
    }
    for own in state.own_dates.iter() {
        all.push(day(
            format!("date-{}@pikebell", own.id),
            own.date,
            &stamp,
            &own.what,
            &own.campaign
                .map_or_else(String::new, |id| format!("campaign {id}")),
        ));
    }
    all.done().to_string()
}
