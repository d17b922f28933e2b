//! When the account is looked at while time passes.

use desk::Moment;
use desk::calendar::{is_open, is_session, next_close, next_open, open_of};

/// Between opening and close the account is looked at on these hours of the exchange's day.
const LOOKED_AT: [i64; 3] = [10, 12, 14];

/// A minute in milliseconds.
pub(crate) const A_MINUTE: i64 = 60_000;

/// Looks between the stops are this far apart.
pub(crate) const A_LOOK: i64 = 10 * A_MINUTE;

/// The next look behind a moment that is no stop.
pub(crate) fn look_after(at: Moment) -> Moment {
    Moment::from_millis((at.millis().div_euclid(A_LOOK) + 1) * A_LOOK)
}

/// Whether a moment is one of the looks between the stops.
pub(crate) fn is_look(at: Moment) -> bool {
    at.millis() % A_LOOK == 0 && is_open(at)
}

/// Whether the exchange opens at a moment.
pub(crate) fn opens_at(at: Moment) -> bool {
    is_session(at.date()) && at == open_of(at.date())
}

pub(crate) fn hour_or_bound_after(from: Moment) -> Moment {
    let bounds = next_open(from).min(next_close(from));
    let hour = LOOKED_AT
        .into_iter()
        .map(|hour| Moment::at(from.date(), hour, 0))
        .find(|at| *at > from && is_open(*at));
    hour.map_or(bounds, |hour| hour.min(bounds))
}
