//! Ideas serve their intention, and legs are picked where they are asked for.

use crate::common::*;
use crate::field::*;
use desk::*;
use plans::*;

fn material(held: i64) -> Material {
    Material {
        near: candidates(day()),
        far: Some(candidates(jiff::civil::date(2031, 6, 20))),
        own: Some("TEST".into()),
        lot: 100,
        held,
        promised: 0,
        covered: 0,
    }
}

#[test]
fn legs_are_picked_by_delta_deviation_and_distance() {
    let c = candidates(day());
    let strike = |kind, place| c.pick(kind, place).unwrap().strike.to_string();
    assert_eq!(strike(Kind::Put, Place::Delta(0.20)), "87.50");
    assert_eq!(strike(Kind::Call, Place::Delta(-0.20)), "112.50");
    // One deviation below 100: 92.3.
    assert_eq!(strike(Kind::Put, Place::Deviations(-1.0)), "92.50");
    assert_eq!(strike(Kind::Call, Place::Away(30.0)), "120.00");
    assert_eq!(
        strike(Kind::Put, Place::Away(-11.25)),
        "87.50",
        "of two as near the lower"
    );
    assert!(
        Candidates {
            listed: Vec::new(),
            ..c
        }
        .pick(Kind::Call, Place::Delta(0.5))
        .is_none()
    );
}

/// What rises makes money above, what falls below, what stays in the middle, what moves on both
/// sides; income is paid for at the middle.
#[test]
fn each_idea_makes_money_where_its_intention_says() {
    let u = underlying();
    let shape = |s: &Holding| Shape::of(s, &u, desk::Received::counted(Money::ZERO));
    for intention in Intention::ALL {
        let made = ideas(intention, &material(0));
        assert!(made.len() >= 3, "{intention:?}: {}", made.len());
        for idea in &made {
            assert!(
                recognise(&idea.structure, &u).text != "custom",
                "{intention:?}: {:?}",
                idea.structure
            );
            if !idea.structure.is_one_expiration() {
                continue;
            }
            let s = shape(&idea.structure);
            let [low, middle, high] = [70.0, 100.0, 130.0].map(|p| s.profit_at(p));
            let right = match intention {
                Intention::Rises | Intention::ReplaceStock => high > low && high >= middle,
                Intention::Falls => low > high && low >= middle,
                Intention::Stays => middle > low && middle > high,
                Intention::Moves => middle < low && middle < high,
                // Paid for giving up one side or both.
                Intention::Income => middle >= low || middle >= high,
                Intention::Protection => low - middle > -3_000.0,
            };
            assert!(
                right,
                "{intention:?} {}: {low} {middle} {high}",
                idea.structure.strikes_label()
            );
        }
    }
}

#[test]
fn a_holding_is_covered_by_whole_lots() {
    let held = |n| ideas(Intention::Protection, &material(n));
    let floor = &held(350)[0];
    assert_eq!(
        floor
            .structure
            .options()
            .map(|(_, n)| n)
            .collect::<Vec<_>>(),
        [3]
    );
    assert!(
        floor
            .why
            .contains("300 of the 350 you hold; 50 stay uncovered"),
        "{}",
        floor.why
    );
    assert!(
        !held(99)[0].why.contains("hold"),
        "less than a lot is not covered"
    );
    assert_eq!(
        ideas(Intention::Income, &material(1_400))[0]
            .structure
            .options()
            .map(|(_, n)| n)
            .collect::<Vec<_>>(),
        [-14]
    );
    let without = Material {
        own: None,
        far: None,
        ..material(0)
    };
    assert!(
        ideas(Intention::Protection, &without)
            .iter()
            .all(|i| i.structure.underlying_quantity() == 0),
        "an index cannot be bought"
    );
}

/// What a put protects already needs no second floor, and every idea on what is held says on how much.
#[test]
fn what_is_protected_is_known() {
    let floor = |covered| -> Option<(i64, i64, String)> {
        let m = Material {
            covered,
            ..material(350)
        };
        let made = ideas(Intention::Protection, &m).into_iter();
        let mut floors = made.filter(|i| i.why.starts_with("A floor under") && i.on > 0);
        floors.find(|i| !i.why.contains("ceiling")).map(|i| {
            let puts = i.structure.options().map(|(_, n)| n).sum();
            (i.on, puts, i.why)
        })
    };
    let (on, puts, why) = floor(0).unwrap();
    assert_eq!((on, puts), (300, 3));
    assert!(why.ends_with("you hold; 50 stay uncovered"), "{why}");
    let (on, puts, why) = floor(200).unwrap();
    assert_eq!((on, puts), (100, 1));
    assert!(why.ends_with("200 have one, 50 stay uncovered"), "{why}");
    assert_eq!(floor(300), None);
    // A collar needs what is neither promised nor protected.
    let m = Material {
        promised: 200,
        covered: 100,
        ..material(350)
    };
    let collar = ideas(Intention::Protection, &m).into_iter();
    let on: Vec<i64> = collar
        .filter(|i| i.why.contains("ceiling") && i.on > 0)
        .map(|i| i.on)
        .collect();
    assert_eq!(on, [100]);
}

/// On shares that a call sold before may take away no other call is offered.
#[test]
fn no_call_is_sold_on_shares_twice() {
    let sold = |promised, intention| -> Vec<i64> {
        let m = Material {
            promised,
            ..material(300)
        };
        let alone = |idea: &plans::Idea| idea.structure.underlying_quantity() == 0;
        let calls = |(c, n): (&desk::Contract, i64)| (c.kind == Kind::Call && n < 0).then_some(n);
        let made = ideas(intention, &m).into_iter().filter(alone);
        made.filter(|i| i.why.contains("you hold"))
            .flat_map(|i| i.structure.options().filter_map(calls).collect::<Vec<_>>())
            .collect()
    };
    for intention in [Intention::Income, Intention::Protection] {
        assert_eq!(sold(0, intention), [-3]);
        assert_eq!(sold(200, intention), [-1]);
        assert_eq!(sold(300, intention), Vec::<i64>::new());
    }
}
