//! The exchange's clock: runs, pauses, steps and speeds up.

use desk::calendar::{next_close, next_open};
use desk::{Moment, Underlying};

use crate::specs::LAST;

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
    /// One minute.
    Minute,
    /// One hour.
    Hour,
    /// To the next opening.
    Open,
    /// To the next close.
    Close,
    /// Past the next expiration of any listed underlying.
    Expiration,
}

impl Clock {
    /// Where so many real milliseconds lead; a paused clock stays.
    pub fn after(&self, real_millis: i64) -> Moment {
        if self.running {
            self.end_of_world(self.now.plus_millis(real_millis * i64::from(self.speed)))
        } else {
            self.now
        }
    }

    /// Where a step leads.
    pub fn target<'a>(
        &self,
        step: Step,
        underlyings: impl Iterator<Item = &'a Underlying>,
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
        self.end_of_world(to)
    }

    fn end_of_world(&self, to: Moment) -> Moment {
        to.min(desk::calendar::close_of(LAST)).max(self.now)
    }
}
