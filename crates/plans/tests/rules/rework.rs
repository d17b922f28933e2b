//! What a campaign holds is changed as a trader means it, and the order between is exact.

use crate::common::*;
use crate::field::*;
use desk::*;
use plans::rework::{
    Listed, Note, Part, Rework, Stuck, change, closes_and_opens, notes, pressed, rework,
};
use plans::{Candidates, Place};
use proptest::prelude::*;

/// Two expirations of strikes 80 to 120 by 2.50, the price at 100.
fn listed() -> Listed {
    Listed::new(SPOT, dates().into())
}

const SPOT: f64 = 100.0;

fn dates() -> [Candidates; 2] {
    [day(), jiff::civil::date(2031, 6, 20)].map(candidates)
}

fn held(legs: &[(&str, i64)]) -> Holding {
    let leg = |(words, quantity): &(&str, i64)| Leg::option(contract(words, day()), *quantity);
    Holding::new(legs.iter().map(leg))
}

/// "-1 95P +1 90P", by strike.
fn told(h: &Holding) -> String {
    let legs = h.options().map(|(c, quantity)| {
        let kind = if c.kind == Kind::Call { "C" } else { "P" };
        let later = if c.expiry == day() { "" } else { " later" };
        format!("{quantity:+} {}{kind}{later}", c.strike.to_f64())
    });
    legs.collect::<Vec<_>>().join(" ")
}

fn step(h: &Holding, s: Rework) -> String {
    match rework(h, &s, &listed()) {
        Ok(then) => told(&then),
        Err(why) => why.to_string(),
    }
}

const CONDOR: [(&str, i64); 4] = [("85P", 2), ("90P", -2), ("105C", -2), ("110C", 2)];

#[test]
fn the_moves_do_what_they_are_called() {
    let condor = held(&CONDOR);
    let roll = |part, expirations, strikes| Rework::Roll {
        part,
        expirations,
        strikes,
    };
    // The price at 100 stands nearer to the calls: they are pressed, the puts quiet.
    assert_eq!(pressed(&condor, 100.0), Some(Kind::Call));
    assert_eq!(pressed(&condor, 92.0), Some(Kind::Put));
    for (made, then) in [
        (roll(Part::Pressed, 0, 2), "+2 85P -2 90P -2 110C +2 115C"),
        (
            roll(Part::Calls, 1, 1),
            "+2 85P -2 90P -2 107.5C later +2 112.5C later",
        ),
        (
            roll(Part::Leg(contract("110C", day())), 0, -1),
            "+2 85P -2 90P -2 105C +2 107.5C",
        ),
        (Rework::Closer(1), "+2 87.5P -2 92.5P -2 105C +2 110C"),
        (Rework::Close(Part::Quiet), "-2 105C +2 110C"),
        (Rework::Close(Part::All), ""),
        (Rework::Widen(1), "+2 82.5P -2 90P -2 105C +2 112.5C"),
        (Rework::Widen(-1), "+2 87.5P -2 90P -2 105C +2 107.5C"),
        (Rework::Widen(-2), "it would change nothing"),
        (Rework::More(-1), "+1 85P -1 90P -1 105C +1 110C"),
        (Rework::More(1), "+3 85P -3 90P -3 105C +3 110C"),
        // Its middle is 97.50, the price a strike higher.
        (Rework::Recentre, "+2 87.5P -2 92.5P -2 107.5C +2 112.5C"),
        (Rework::IntoButterfly, "+2 95P -2 100C -2 100P +2 105C"),
        (
            Rework::To {
                leg: contract("105C", day()),
                place: Place::Delta(0.25),
            },
            "+2 85P -2 90P",
        ),
        (
            roll(Part::Puts, 2, 0),
            "an expiration 2 later is not listed",
        ),
        (
            roll(Part::Calls, 0, 8),
            "a strike 8 from the 105 call is not listed",
        ),
        (Rework::IntoCondor, "it is not one vertical"),
    ] {
        let found = step(&condor, made.clone());
        // The sold call at a delta of 0.25 is the one that is bought at 110: they cancel.
        assert_eq!(found, then, "{made:?}");
    }
    let put = held(&[("95P", -3)]);
    let cover = Rework::Cover {
        leg: contract("95P", day()),
        strikes: 2,
    };
    assert_eq!(step(&put, cover), "+3 90P -3 95P");
    let long = held(&[("100C", 1)]);
    let against = Rework::SellAgainst {
        leg: contract("100C", day()),
        delta: 0.25,
    };
    assert_eq!(step(&long, against), "+1 100C -1 110C");
    // A put vertical whose sold put has a delta of 0.33: the call sold beside it too, as wide.
    let vertical = held(&[("87.5P", 1), ("92.5P", -1)]);
    assert_eq!(
        step(&vertical, Rework::IntoCondor),
        "+1 87.5P -1 92.5P -1 107.5C +1 112.5C"
    );
    let bought = held(&[("100C", 1), ("105C", -1)]);
    assert_eq!(
        step(&bought, Rework::IntoCondor),
        "it is a vertical that was bought"
    );
    assert_eq!(step(&long, Rework::Close(Part::Quiet)), "no option is sold");
}

/// A sold call below a sold put owes the distance at every price; what is bought between them takes
/// of it, and another expiration leaves it open. A later expiration for a debit is said to be one.
#[test]
fn what_is_owed_and_what_is_rolled_for_a_debit_is_said() {
    let u = underlying();
    let none = held(&[]);
    let said = |legs: &[(&str, i64)]| notes(&none, &held(legs), price("-1.00"), &u);
    let owed = |text: &str| vec![Note::Owed(text.parse().unwrap())];
    assert_eq!(said(&[("95C", -2), ("100P", -2)]), owed("1000.00"));
    // Wings beyond the sold strikes do not help; those between them do.
    let wings = [("90P", 1), ("95C", -1), ("100P", -1), ("105C", 1)];
    assert_eq!(said(&wings), owed("500.00"));
    let inner = [("95C", -1), ("97.5C", 1), ("100P", 1), ("102.5P", -1)];
    assert_eq!(said(&inner), owed("250.00"));
    for nothing_owed in [&CONDOR[..], &[("95C", -1)], &[("95C", 1), ("100P", 1)]] {
        assert_eq!(said(nothing_owed), []);
    }
    let before = held(&[("95P", -1)]);
    let roll = |expirations, strikes| Rework::Roll {
        part: Part::All,
        expirations,
        strikes,
    };
    let later = rework(&before, &roll(1, 0), &listed()).unwrap();
    assert_eq!(notes(&before, &later, price("0.40"), &u), [Note::Debit]);
    assert_eq!(notes(&before, &later, price("-0.40"), &u), []);
    let lower = rework(&before, &roll(0, -1), &listed()).unwrap();
    assert_eq!(
        notes(&before, &lower, price("0.40"), &u),
        [],
        "no later one"
    );
    let apart = Holding::new(
        [("95C", day()), ("100P", jiff::civil::date(2031, 6, 20))]
            .map(|(words, day)| Leg::option(contract(words, day), -1)),
    );
    assert_eq!(notes(&none, &apart, price("-1.00"), &u), []);
}

fn any_part() -> impl Strategy<Value = Part> {
    prop_oneof![
        Just(Part::All),
        Just(Part::Calls),
        Just(Part::Puts),
        Just(Part::Pressed),
        Just(Part::Quiet),
    ]
}

fn any_step() -> impl Strategy<Value = Rework> {
    prop_oneof![
        (any_part(), -1i64..=1, -3i64..=3).prop_map(|(part, expirations, strikes)| Rework::Roll {
            part,
            expirations,
            strikes
        }),
        Just(Rework::Recentre),
        (1i64..=3).prop_map(Rework::Closer),
        any_part().prop_map(Rework::Close),
        (-2i64..=2).prop_map(Rework::Widen),
        (-2i64..=2).prop_map(Rework::More),
        Just(Rework::IntoCondor),
        Just(Rework::IntoButterfly),
    ]
}

fn any_holding() -> impl Strategy<Value = Holding> {
    let leg = (0usize..17, any::<bool>(), -3i64..=3);
    prop::collection::vec(leg, 1..6).prop_map(|legs| {
        Holding::new(legs.into_iter().map(|(place, call, quantity)| {
            let strike = 80.0 + 2.5 * place as f64;
            let kind = if call { "C" } else { "P" };
            Leg::option(contract(&format!("{strike}{kind}"), day()), quantity)
        }))
    })
}

proptest! {
    /// Whatever the moves: the order between leads exactly from what is held to what would be held,
    /// it closes nothing that is not held, and every contract is listed.
    #[test]
    fn the_order_leads_from_one_to_the_other(
        before in any_holding(),
        steps in prop::collection::vec(any_step(), 1..8),
    ) {
        let listed = listed();
        let mut now = before.clone();
        for s in &steps {
            match rework(&now, s, &listed) {
                Ok(then) => {
                    prop_assert_ne!(&then, &now, "{:?} says it did something", s);
                    now = then;
                }
                Err(Stuck::Same | Stuck::Nothing(_) | Stuck::Unlisted(_)) => {}
            }
            for (c, _) in now.options() {
                let there = |d: &Candidates| d.listed.iter().any(|l| l.contract == *c);
                prop_assert!(dates().iter().any(there), "{} is not listed", c.label());
            }
        }
        let order = change(&before, &now);
        prop_assert_eq!(before.plus(&order), now);
        let (closes, opens) = closes_and_opens(&before, &order);
        prop_assert_eq!(closes.plus(&opens), order);
        let left = before.plus(&closes);
        for leg in left.legs() {
            let was = before.legs().iter().find(|l| l.instrument == leg.instrument).unwrap();
            prop_assert!(
                leg.quantity.signum() == was.quantity.signum()
                    && leg.quantity.abs() <= was.quantity.abs(),
                "it closes more than is held"
            );
        }
    }

    /// Closing the pressed side and the quiet side closes all options, in either order.
    #[test]
    fn two_sides_are_all(before in any_holding()) {
        let listed = listed();
        let close = |h: &Holding, part| rework(h, &Rework::Close(part), &listed);
        if let Some(kind) = pressed(&before, SPOT) {
            let left = close(&before, Part::Pressed).unwrap();
            prop_assert!(left.options().all(|(c, _)| c.kind != kind));
            let (calls, puts) = (close(&left, Part::Calls), close(&left, Part::Puts));
            let empty = |h: Result<Holding, Stuck>| h.is_ok_and(|h| h.is_empty());
            prop_assert!(left.is_empty() || empty(calls) || empty(puts));
        }
    }
}

/// A strangle whose sides have crossed, 120 put and 105 call at 118: the put is nearer, and rework and
/// drills say the same.
#[test]
fn one_side_is_pressed_whoever_asks() {
    let held = held(&[("120P", -1), ("105C", -1)]);
    for (spot, kind) in [
        ("118", Kind::Put),
        ("107", Kind::Call),
        ("112.50", Kind::Call),
    ] {
        let spot = price(spot);
        assert_eq!(held.pressed(spot), Some(kind), "{spot}");
        assert_eq!(plans::rework::pressed(&held, spot.to_f64()), Some(kind));
        use plans::drill::{PressedSide, side_pressed};
        assert_eq!(side_pressed(&held, spot, PressedSide::Pressed), Some(kind));
        let other = if kind == Kind::Put {
            Kind::Call
        } else {
            Kind::Put
        };
        assert_eq!(side_pressed(&held, spot, PressedSide::Quiet), Some(other));
    }
}
