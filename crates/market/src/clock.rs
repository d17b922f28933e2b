//! The exchange's clock: runs, pauses, steps and speeds up.

use desk::calendar::{next_close, next_open};
use desk::{Moment, Underlying};
use jiff::civil::Date;

/// Speeds the clock may run at, as a multiple of real time.
pub const SPEEDS: [u32; 6] = [1, 10, 60, 300, 900, 3_600];

/// State of the clock.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Clock {
    /// The present moment.
    pub now: Moment,
    /// Whether time passes.
    pub running: bool,
    /// How fast, as a multiple of real time.
    pub speed: u32,
}

/// How far to jump.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Step {
    /// From the moment on by a minute.
    Minute,
    /// From the moment on by an hour.
    Hour,
    /// To the next opening.
    Open,
    /// To the next close.
    Close,
    /// Past the next expiration of any listed underlying.
    Expiration,
}

impl Clock {
    /// Where so many real milliseconds lead, no further than the close of `last`; a paused clock stays.
    pub fn after(&self, real_millis: i64, last: Date) -> Moment {
        if self.running {
            self.no_further(
                self.now.plus_millis(real_millis * i64::from(self.speed)),
                last,
            )
        } else {
            self.now
        }
    }

    /// Where a step leads, no further than the close of `last`.
    pub fn target<'a>(
        &self,
        step: Step,
        underlyings: impl Iterator<Item = &'a Underlying>,
        last: Date,
    ) -> Moment {
        let to = match step {
            Step::Minute => self.now.plus_millis(60_000),
            Step::Hour => self.now.plus_millis(3_600_000),
            Step::Open => next_open(self.now),
            Step::Close => next_close(self.now),
            Step::Expiration => {
                let nearest = underlyings
                    .filter_map(|u| u.expirations(self.now).first().map(|e| e.moment()))
                    .min();
                nearest.unwrap_or_else(|| next_close(self.now))
            }
        };
        self.no_further(to, last)
    }

    fn no_further(&self, to: Moment, last: Date) -> Moment {
        to.min(desk::calendar::close_of(last)).max(self.now)
    }
}
