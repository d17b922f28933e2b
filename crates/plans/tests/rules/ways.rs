//! Ways out: each is judged as a draft would be, keeps what it is asked to keep, and nothing that
//! was looked at is lost on the way.

use crate::common::*;
use crate::field::*;
use desk::*;
use jiff::civil::date;
use plans::rework::{Asked, At, Field, Limits, Measure, Out, Way, Ways, change, ways};

/// Two condors for 1.20 each, of which 37.40 was realised and paid as fees before.
const NET: &str = "202.60";
const CONDOR: &str = "+2 85P -2 90P -2 105C +2 110C";

fn found(field: &Field<'_>, held: &Holding, limits: &Limits, measure: Measure) -> Ways {
    let asked = Asked {
        held,
        received: Received::counted(NET.parse().unwrap()),
        at: At::Middle,
        limits,
        measure,
    };
    ways(field, &asked).unwrap()
}

/// The market in a holding, as an evaluation takes it.
fn market_in(field: &Field<'_>, held: &Holding) -> MarketView<'static> {
    let of = |c: &Contract| {
        let all = field.dates().iter().flat_map(|d| {
            let listed = d.candidates.listed.iter();
            listed.map(|l| &l.contract).zip(&d.markets)
        });
        *all.into_iter().find(|(x, _)| *x == c).unwrap().1
    };
    MarketView {
        at: field.at,
        spot: field.spot,
        legs: held.options().map(|(c, _)| of(c)).collect(),
        events: Vec::new(),
        ..market(field.underlying, &[])
    }
}

fn judged(field: &Field<'_>, held: &Holding, entry: EntryPrice) -> Evaluation {
    let proposal = Proposal {
        structure: held.clone(),
        entry,
        realised: Money::ZERO,
        range: None,
        closing: false,
    };
    let account = AccountView {
        fees: field.fees,
        cash: Money::whole(1_000_000),
        rules: AccountRules::default(),
        ..AccountView::default()
    };
    evaluate(&proposal, &market_in(field, held), &account).unwrap()
}

/// What the whole campaign makes after a way, by the one evaluation.
fn as_a_draft(field: &Field<'_>, held: &Holding, way: &Way) -> Evaluation {
    let order = judged(field, &change(held, &way.then), EntryPrice::Middle);
    assert_eq!(order.money.cash, way.cash, "{}", way.words());
    let received = NET.parse::<Money>().unwrap() + order.money.cash - order.money.fees;
    judged(field, &way.then, EntryPrice::Paid(-received))
}

fn near(a: f64, b: f64, within: f64) -> bool {
    (a - b).abs() <= within * b.abs().max(1.0)
}

#[test]
fn each_is_judged_as_a_draft_is() {
    let u = underlying();
    let field = field(&u);
    for held in [
        structure(CONDOR),
        structure("-3 95P"),
        Holding::new(
            structure("-1 100C")
                .legs()
                .iter()
                .chain(on("+1 100C", date(2031, 6, 20)).legs())
                .cloned(),
        ),
    ] {
        let all = found(&field, &held, &Limits::default(), Measure::Chance);
        assert!(all.looked > 40, "{}", all.looked);
        let ruled: usize = all.ruled_out.values().sum();
        assert_eq!(all.looked, ruled + all.ways.len(), "none is lost");
        for way in all.ways.iter().step_by(all.ways.len() / 60 + 1) {
            let draft = as_a_draft(&field, &held, way);
            let (shape, made) = (&draft.horizon.shape, way.made);
            let words = way.words();
            let within = if draft.horizon.estimate { 2e-3 } else { 1e-9 };
            assert_eq!(way.days, draft.horizon.days, "{words}");
            assert!(
                near(made.chance, draft.chance_of_profit, within),
                "{words}: {} and {}",
                made.chance,
                draft.chance_of_profit
            );
            for (extent, quick) in [(&shape.most, made.most), (&shape.least, made.least)] {
                match (extent.limited(), quick) {
                    (Some(exact), Some(quick)) => {
                        // Between the points of a grid the top of a curve is cut off a little.
                        let within = if draft.horizon.estimate { 2e-2 } else { 1e-9 };
                        assert!(
                            near(quick, exact.to_f64(), within),
                            "{words}: {quick} {exact}"
                        );
                    }
                    (None, None) => {}
                    other => panic!("{words}: {other:?}"),
                }
            }
            let delta = judged(&field, &change(&held, &way.then), EntryPrice::Middle)
                .greeks
                .delta;
            assert!(near(way.lean, 4.0 + 0.5 * delta, 1e-9), "{words}");
        }
    }
}

#[test]
fn every_limit_is_kept_and_names_what_it_rules_out() {
    let u = underlying();
    let field = field(&u);
    let held = structure(CONDOR);
    let all = found(&field, &held, &Limits::default(), Measure::Chance);
    let credit = "40".parse().unwrap();
    let most = Money::whole(900);
    let none = Limits::default();
    type Kept<'a> = &'a dyn Fn(&Way) -> bool;
    let later = |w: &Way| (50..=80).contains(&w.days);
    let lean = |w: &Way| (-2.0..=6.0).contains(&w.lean);
    let cases: [(Limits, Out, Kept<'_>); 4] = [
        (
            Limits {
                credit: Some(credit),
                ..none.clone()
            },
            Out::Credit,
            &|w| w.cash >= credit,
        ),
        (
            Limits {
                loss: Some(most),
                ..none.clone()
            },
            Out::Loss,
            &|w| w.made.least.is_some_and(|l| l >= -900.0),
        ),
        (
            Limits {
                days: Some((50, 80)),
                ..none.clone()
            },
            Out::Days,
            &later,
        ),
        (
            Limits {
                lean: Some((-2.0, 6.0)),
                ..none.clone()
            },
            Out::Lean,
            &lean,
        ),
    ];
    for (limits, out, kept) in cases {
        let some = found(&field, &held, &limits, Measure::Chance);
        assert_eq!(some.looked, all.looked);
        let same = all.ways.iter().filter(|w| kept(w)).count();
        assert!(0 < same && same < all.ways.len(), "{out:?} means something");
        assert_eq!(some.ways.len(), same, "{out:?}");
        assert_eq!(
            some.ruled_out.get(&out).copied(),
            Some(all.ways.len() - same)
        );
        assert!(some.ways.iter().all(kept), "{out:?}");
    }
}

#[test]
fn the_best_by_its_measure_comes_first() {
    let u = underlying();
    let field = field(&u);
    let held = structure(CONDOR);
    let by = |m| found(&field, &held, &Limits::default(), m).ways;
    let chance = by(Measure::Chance);
    assert!(chance.is_sorted_by(|a, b| a.made.chance >= b.made.chance));
    let loss = by(Measure::Loss);
    assert!(loss[0].made.least.unwrap() >= loss[9].made.least.unwrap());
    assert!(loss.iter().all(|w| w.made.least <= loss[0].made.least));
    let lean = by(Measure::Lean);
    assert!(lean.is_sorted_by(|a, b| a.lean.abs() <= b.lean.abs()));
    let daily = by(Measure::CreditADay);
    let day = |w: &Way| w.cash.to_f64() / w.days.max(1) as f64;
    assert!(daily.is_sorted_by(|a, b| day(a) >= day(b)));
    let room = by(Measure::Room);
    assert!(room.is_sorted_by(|a, b| a.made.room >= b.made.room));
    // The pressed side alone rolled to the next expiration is one of what was looked at.
    let rolled = Holding::new(
        structure("+2 85P -2 90P")
            .legs()
            .iter()
            .chain(on("-2 107.5C +2 112.5C", date(2031, 5, 16)).legs())
            .cloned(),
    );
    let way = chance.iter().find(|w| w.then == rolled).unwrap();
    assert_eq!(
        way.words(),
        "roll the calls 1 expiration later, 1 strike higher"
    );
}
