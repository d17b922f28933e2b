//! The clock: steps land where they say, forward only, and stop at the end of the world.
#![allow(clippy::unwrap_used)]

use desk::calendar::{close_of, is_open, is_session};
use desk::*;
use jiff::civil::date;
use market::{Clock, DEMO_DAY, LAST, SPEEDS, Step, World};
use proptest::prelude::*;

fn clock(now: Moment) -> Clock {
    Clock {
        now,
        running: true,
        speed: 1,
    }
}

#[test]
fn a_trading_day_by_steps() {
    let world = World::new(1);
    let step = |now, step| clock(now).target(step, world.underlyings(now), LAST);
    let start = Moment::at(DEMO_DAY, 10, 42);
    assert_eq!(step(start, Step::Minute), Moment::at(DEMO_DAY, 10, 43));
    assert_eq!(step(start, Step::Hour), Moment::at(DEMO_DAY, 11, 42));
    let close = step(start, Step::Close);
    assert_eq!(close, Moment::at(DEMO_DAY, 16, 0));
    assert_eq!(
        step(close, Step::Open),
        Moment::at(date(2031, 3, 12), 9, 30)
    );
    // Wednesday's weekly of the index is the next to expire, then Thursday's of the smaller one,
    // then Friday's.
    let wednesday = step(start, Step::Expiration);
    assert_eq!(wednesday, close_of(date(2031, 3, 12)));
    let thursday = step(wednesday, Step::Expiration);
    assert_eq!(
        (thursday, step(thursday, Step::Expiration)),
        (close_of(date(2031, 3, 13)), close_of(date(2031, 3, 14)))
    );
    // Good Friday is no session: Thursday's close leads over four days to Monday's opening.
    assert_eq!(
        step(close_of(date(2031, 4, 10)), Step::Open),
        Moment::at(date(2031, 4, 14), 9, 30)
    );
    assert_eq!(step(close_of(LAST), Step::Close), close_of(LAST));
}

proptest! {
    #[test]
    fn steps_go_forward_and_land_where_they_say(
        seconds in 0..80_000_000_i64,
        which in 0..5_usize,
        speed in prop::sample::select(&SPEEDS[..]),
        real in 0..5_000_i64,
    ) {
        let world = World::new(1);
        let now = Moment::at(date(2030, 1, 2), 0, 0).plus_millis(seconds * 1_000);
        let to = clock(now).target(
            [
                Step::Minute,
                Step::Hour,
                Step::Open,
                Step::Close,
                Step::Expiration,
            ][which],
            world.underlyings(now),
            LAST,
        );
        prop_assert!(to > now);
        match which {
            2 => prop_assert!(is_open(to) && !is_open(to.plus_millis(-1))),
            3 => prop_assert!(!is_open(to) && is_open(to.plus_millis(-1)) && is_session(to.date())),
            4 => {
                let listed = |at: Moment| {
                    world
                        .underlyings(at)
                        .flat_map(|u| u.expirations(at))
                        .map(|e| e.moment())
                        .collect::<Vec<_>>()
                };
                prop_assert!(listed(now).contains(&to) && listed(now).iter().all(|m| *m >= to));
                prop_assert!(!listed(to).contains(&to), "what expired is listed no more");
            }
            _ => {}
        }
        let running = Clock {
            now,
            running: true,
            speed,
        };
        prop_assert_eq!(
            running.after(real, LAST),
            now.plus_millis(real * i64::from(speed))
        );
        prop_assert_eq!(
            Clock {
                running: false,
                ..running
            }
            .after(real, LAST),
            now
        );
    }
}
