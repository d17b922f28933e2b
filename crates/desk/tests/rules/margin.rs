//! Strategy margin against published worked examples and laws.

use crate::common::*;
use desk::*;
use proptest::prelude::*;

/// Legs as "-1 105C @1.20 [later]".
fn legs(text: &str) -> Vec<MarginLeg> {
    text.split(',')
        .map(|part| {
            let w: Vec<&str> = part.split_whitespace().collect();
            let expiry = if w.contains(&"later") {
                jiff::civil::date(2031, 6, 20)
            } else {
                day()
            };
            let c = contract(w[1], expiry);
            MarginLeg {
                ends: underlying().expiry_moment(&c),
                contract: c.clone(),
                quantity: w[0].parse().unwrap(),
                mark: price(w[2].trim_start_matches('@')),
            }
        })
        .collect()
}

fn held(legs: &[MarginLeg], underlying: i64) -> MarginHolding {
    MarginHolding {
        options: legs.to_vec(),
        underlying,
    }
}

fn basis(spot: &str, class: MarginClass) -> MarginBasis {
    MarginBasis {
        spot: price(spot),
        kind: UnderlyingKind::Shares,
        class,
        multiplier: 100,
        today: jiff::civil::date(2031, 3, 4),
        rules: AccountRules::default(),
        rate: 0.04,
        carry_yield: 0.0,
        dividends: std::sync::Arc::default(),
    }
}

#[test]
fn published_examples() {
    use MarginClass::{BroadIndex, Equity};
    // Cboe margin manual (believed) and Hull's margin example, both from memory and recomputed; the
    // rest follow from the rules by hand.
    let table = [
        (
            "stock call in the money",
            "-1 120C @8.40",
            "128.50",
            Equity,
            "3410.00",
        ),
        (
            "stock put, minimum rule",
            "-1 80P @2.00",
            "95",
            Equity,
            "1000.00",
        ),
        ("Hull: four calls", "-4 40C @5.00", "38", Equity, "4240.00"),
        ("Hull: four puts", "-4 40P @5.00", "38", Equity, "5040.00"),
        (
            "index put",
            "-1 1150P @9.00",
            "1200",
            BroadIndex,
            "13900.00",
        ),
        (
            "index call, minimum rule",
            "-1 1400C @1.10",
            "1200",
            BroadIndex,
            "12110.00",
        ),
        (
            "strangle: larger side and the other premium",
            "-1 110C @1.20, -1 90P @1.00",
            "100",
            Equity,
            "1220.00",
        ),
        (
            "straddle",
            "-1 100C @3.00, -1 100P @2.80",
            "100",
            Equity,
            "2580.00",
        ),
        (
            "iron condor: larger side only",
            "+1 90P @0.60, -1 95P @1.60, -1 105C @1.70, +1 110C @0.70",
            "100",
            Equity,
            "500.00",
        ),
        (
            "ten put verticals",
            "-10 95P @2.00, +10 90P @0.90",
            "100",
            Equity,
            "5000.00",
        ),
        ("long option", "+3 100C @4.00", "100", Equity, "0.00"),
        (
            "long butterfly",
            "+1 95C @6.6, -2 100C @3.4, +1 105C @1.6",
            "100",
            Equity,
            "0.00",
        ),
        (
            "short butterfly",
            "-1 95C @6.6, +2 100C @3.4, -1 105C @1.6",
            "100",
            Equity,
            "500.00",
        ),
        (
            "short box",
            "-1 95C @6.6, +1 105C @1.7, +1 95P @1.6, -1 105P @6.4",
            "100",
            Equity,
            "1000.00",
        ),
        (
            "ratio: spread and one uncovered",
            "+1 100C @4.00, -2 105C @2.50",
            "102",
            Equity,
            "1990.00",
        ),
        (
            "calendar, long later",
            "-1 105C @1.00, +1 100C @4.00 later",
            "100",
            Equity,
            "0.00",
        ),
        (
            "diagonal, long later and higher",
            "-1 100C @3.00, +1 105C @2.50 later",
            "100",
            Equity,
            "500.00",
        ),
        (
            "optimal pairing",
            "+1 95C @6.6, +1 105C @1.7, -1 100C @3.4, -1 110C @0.6",
            "100",
            Equity,
            "0.00",
        ),
        (
            "two put widths against calls",
            "-4 95P @1.6, +2 90P @0.7, +2 85P @0.3, -2 105C @1.7, +2 110C @0.7",
            "100",
            Equity,
            "3000.00",
        ),
    ];
    for (what, text, spot, class, want) in table {
        let got = requirement(&held(&legs(text), 0), &basis(spot, class));
        assert_eq!(got.total.to_string(), want, "{what}: {got:?}");
        assert_eq!(
            got.parts.iter().map(|p| p.amount).sum::<Money>(),
            got.total,
            "{what}: the parts add up"
        );
    }
}

fn any_legs() -> impl Strategy<Value = Vec<MarginLeg>> {
    let leg = (
        16..25_i64,
        any::<bool>(),
        prop_oneof![-3..0_i64, 1..4_i64],
        any::<bool>(),
    );
    prop::collection::vec(leg, 1..6).prop_map(|legs| {
        legs.into_iter()
            .map(|(k, call, quantity, later)| {
                let kind = if call { Kind::Call } else { Kind::Put };
                let strike = Price::cents(k * 500);
                // A mark that no arbitrage forbids: intrinsic at 100 and a little time value.
                let mark = Price::from_f64(kind.intrinsic(100.0, strike.to_f64())).unwrap()
                    + Price::cents(50);
                MarginLeg {
                    contract: Contract {
                        root: "TEST".into(),
                        expiry: if later {
                            jiff::civil::date(2031, 6, 20)
                        } else {
                            day()
                        },
                        kind,
                        strike,
                    },
                    ends: Moment::at(
                        if later {
                            jiff::civil::date(2031, 6, 20)
                        } else {
                            day()
                        },
                        16,
                        0,
                    ),
                    quantity,
                    mark,
                }
            })
            .collect()
    })
}

/// Up to four contracts at strikes of 60 to 140, two expirations, premiums of nothing to 30.
fn few() -> impl Strategy<Value = Vec<OneContract>> {
    let one = (
        any::<bool>(),
        12_i64..29,
        0_i64..3_000,
        any::<bool>(),
        any::<bool>(),
    );
    let one = one.prop_map(|(call, strike, mark, later, sold)| OneContract {
        kind: if call { Kind::Call } else { Kind::Put },
        strike: Price::cents(strike * 500),
        mark: Price::cents(mark),
        ends: Moment::at(
            jiff::civil::date(2031, if later { 6 } else { 4 }, 18),
            16,
            0,
        ),
        sold,
    });
    proptest::collection::vec(one, 1..=FEW)
}

proptest! {
    /// The least over every way to take a few contracts apart is what the search over groups finds.
    #[test]
    fn a_few_contracts_need_what_the_search_finds(all in few(), broad in any::<bool>()) {
        let class = if broad { MarginClass::BroadIndex } else { MarginClass::Equity };
        let basis = basis("100", class);
        // Two of one series are one leg; bought and sold ones of it are two alike with another mark.
        let mut held = MarginHolding::default();
        for c in &all {
            let kind = if c.kind == Kind::Call { "C" } else { "P" };
            let leg = MarginLeg {
                contract: contract(&format!("{}{kind}", c.strike), c.ends.date()),
                ends: c.ends,
                quantity: if c.sold { -1 } else { 1 },
                mark: c.mark,
            };
            prop_assume!(held.options.iter().all(|l| l.contract != leg.contract));
            held.add(leg);
        }
        let wanted = requirement(&held, &basis).takes();
        let all: Vec<Option<OneContract>> = all.into_iter().map(Some).collect();
        let found = requirement_of_few(&all, &basis).times(100);
        prop_assert_eq!(found, wanted);
    }
}

proptest! {
    #[test]
    fn longs_never_add_wholes_never_exceed_their_parts_and_scale(
        (a, b) in (any_legs(), any_legs()),
        k in 2..5_i64,
    ) {
        let basis = basis("100", MarginClass::Equity);
        let need = |legs: &[MarginLeg]| requirement(&held(legs, 0), &basis).total;
        let alone: Money = a.iter().map(|l| need(std::slice::from_ref(l))).sum();
        prop_assert!(need(&a) <= alone, "a whole is never dearer than its legs");
        let longs: Vec<MarginLeg> = b
            .iter()
            .map(|l| MarginLeg {
                quantity: l.quantity.abs(),
                ..l.clone()
            })
            .collect();
        let with_longs: Vec<MarginLeg> = a.iter().chain(&longs).cloned().collect();
        prop_assert!(
            need(&with_longs) <= need(&a),
            "bought options never add: {:?} {:?}",
            requirement(&held(&with_longs, 0), &basis),
            requirement(&held(&a, 0), &basis)
        );
        let scaled: Vec<MarginLeg> = a
            .iter()
            .map(|l| MarginLeg {
                quantity: l.quantity * k,
                ..l.clone()
            })
            .collect();
        prop_assert!(need(&scaled) <= need(&a) * k);
        prop_assert!(need(&a) >= Money::ZERO);
        // Shares beside options: half their value, and never more than that beside what the options
        // need alone.
        let shares = 100 * (k - 3);
        let both = requirement(&held(&a, shares), &basis);
        prop_assert!(
            both.total <= need(&a) + price("50").times(shares.abs())
                && both.total >= price("50").times(shares.abs())
        );
        // Shares promised away below their price count at no more than that.
        let value = price("100").times(shares);
        prop_assert!(both.collateral <= value && (shares > 0 || both.collateral == value));
    }
}

/// 100 shares at 250 under a sold 150.50 call: what lies above the strike is promised away, and
/// buying power stays within the net worth.
#[test]
fn shares_under_a_deep_call_give_no_more_than_their_strike() {
    let basis = basis("250", MarginClass::Equity);
    let got = requirement(&held(&legs("-1 150.5C @99.60"), 100), &basis);
    assert_eq!(
        (got.total.to_string(), got.collateral.to_string()),
        ("12500.00".into(), "15050.00".into())
    );
    let net_worth = price("250").times(100) - price("99.60").times(100);
    assert!(-got.takes() <= net_worth);
}

/// Long the series that settles on the opening prints, short the one of the same strike and date
/// that settles at the close: the long ends first, so the short is uncovered, the other way round
/// not.
#[test]
fn a_leg_is_known_by_its_series_and_the_moment_it_ends() {
    let leg = |root: &str, hour: i64, quantity: i64| {
        let contract = Contract {
            root: root.into(),
            ..contract("100C", day())
        };
        MarginLeg {
            contract,
            ends: Moment::at(day(), hour, 0),
            quantity,
            mark: price("3.00"),
        }
    };
    let basis = basis("100", MarginClass::BroadIndex);
    let need = |opening: i64, closing: i64| {
        let mut all = MarginHolding::default();
        all.add(leg("TEST", 9, opening));
        all.add(leg("TESTW", 16, closing));
        assert_eq!(all.options.len(), 2, "two series are not one");
        requirement(&all, &basis).total
    };
    assert_eq!(need(1, -1), Money::whole(300 + 1_500));
    assert_eq!(need(-1, 1), Money::ZERO);
}

/// Federal Reserve Regulation T (half of the value of shares) and FINRA 4210(f)(2) for covered
/// options, from memory, worked by hand.
#[test]
fn shares_cover_what_is_sold_against_them() {
    let table = [
        ("shares alone", "+1 150P @0.05", 100, "100", "5000.00"),
        ("covered call", "-1 105C @1.20", 100, "100", "5000.00"),
        (
            "covered call in the money",
            "-1 95C @6.20",
            100,
            "100",
            "5000.00",
        ),
        (
            "one covered, one naked",
            "-2 105C @1.20",
            100,
            "100",
            "6620.00",
        ),
        ("covered put", "-1 95P @1.00", -100, "100", "5000.00"),
        (
            "covered put in the money",
            "-1 105P @6.00",
            -100,
            "100",
            "5500.00",
        ),
        ("protective put", "+1 95P @1.00", 150, "100", "7500.00"),
        (
            "collar",
            "+1 95P @1.00, -1 105C @1.20",
            100,
            "100",
            "5000.00",
        ),
        (
            "a call sold beside shares sold",
            "-1 105C @1.20",
            -100,
            "100",
            "6620.00",
        ),
    ];
    for (what, text, shares, spot, want) in table {
        let got = requirement(
            &held(&legs(text), shares),
            &basis(spot, MarginClass::Equity),
        );
        assert_eq!(got.total.to_string(), want, "{what}: {got:?}");
        // Under a sold call they count at no more than its strike.
        let counted = if what.starts_with("covered call in") {
            "95"
        } else {
            spot
        };
        let counted = price(counted).times(shares);
        assert_eq!(got.takes(), got.total - counted, "{what}");
        assert_eq!(
            got.parts.iter().map(|p| p.amount).sum::<Money>(),
            got.total,
            "{what}: the parts add up"
        );
    }
}
