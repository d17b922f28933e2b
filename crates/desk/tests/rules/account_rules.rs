//! Regimes, levels and day trades of an account.

use crate::common::*;
use desk::order::Event;
use desk::*;
use jiff::civil::{Date, date};
use proptest::prelude::*;

/// Marks by Black and Scholes, so that each implies its volatility: "-1 110C" at spot, volatility,
/// rate and days.
fn modelled(
    text: &str,
    spot: f64,
    vol: f64,
    rate: f64,
    carry_yield: f64,
    days: i64,
) -> MarginHolding {
    let expiry = today().checked_add(jiff::Span::new().days(days)).unwrap();
    let words: Vec<&str> = text.split_whitespace().collect();
    let mut out = MarginHolding::default();
    for w in words.chunks(2) {
        let quantity: i64 = w[0].parse().unwrap();
        if w[1] == "S" || w[1] == "F" {
            out.underlying += quantity;
            continue;
        }
        let c = contract(w[1], expiry);
        let terms = quant::Terms {
            kind: c.kind,
            style: Style::European,
            strike: c.strike.to_f64(),
            time: days as f64 / 365.0,
            rate,
            carry_yield,
            vol,
        };
        let mark = Price::from_f64(quant::european_price(&terms, spot)).unwrap();
        out.add(MarginLeg {
            ends: underlying().expiry_moment(&c),
            contract: c.clone(),
            quantity,
            mark,
        });
    }
    out
}

fn today() -> Date {
    date(2031, 3, 4)
}

fn basis(class: MarginClass, kind: AccountKind) -> MarginBasis {
    MarginBasis {
        spot: price("100"),
        kind: UnderlyingKind::Shares,
        class,
        multiplier: 100,
        today: today(),
        rules: AccountRules {
            kind,
            ..AccountRules::default()
        },
        rate: 0.04,
        carry_yield: 0.0,
        dividends: std::sync::Arc::default(),
    }
}

/// The tables of `regime`, reached from marks alone: S = 100, 25 %, 4 %, 45 days (recomputed with
/// an independent library).
#[test]
fn an_account_under_portfolio_rules_needs_its_worst_theoretical_loss() {
    let b = basis(MarginClass::Equity, AccountKind::Portfolio);
    for (legs, want) in [
        ("-1 110C -1 90P", 617.37),
        ("-1 110C", 658.23),
        ("+1 90P -1 95P -1 105C +1 110C", 214.18),
        ("+100 S -1 105C", 1_325.11),
        ("+100 S +1 90P -1 110C", 883.77),
        ("+1 100C +1 100P", 75.00),
    ] {
        let held = modelled(legs, 100.0, 0.25, 0.04, 0.0, 45);
        let r = requirement(&held, &b);
        assert!(
            (r.total.to_f64() - want).abs() < 0.02,
            "{legs}: {r:?} {want}"
        );
        assert_eq!(r.parts.iter().map(|p| p.amount).sum::<Money>(), r.total);
        // The value of what is held stays in the equity.
        let value: Money = held
            .options
            .iter()
            .map(|l| l.mark.times(l.quantity * 100))
            .sum();
        assert_eq!(r.takes(), r.total - value - b.spot.times(held.underlying));
    }
    // S = 5000, 16 %, −8 % and +6 %: 9,925.89.
    let broad = MarginBasis {
        spot: price("5000"),
        kind: UnderlyingKind::Index,
        ..basis(MarginClass::LargeIndex, AccountKind::Portfolio)
    };
    let r = requirement(
        &modelled("-1 5300C -1 4600P", 5_000.0, 0.16, 0.04, 0.0, 45),
        &broad,
    );
    assert!((r.total.to_f64() - 9_925.89).abs() < 0.5, "{r:?}");
}

/// The same of the scan: F = 20,000, ×50, 30 days, 15 %, no interest.
#[test]
fn a_scanned_product_needs_its_worst_scenario_its_premium_and_its_exposure() {
    let rates = ScanRates {
        price_scan: 0.07,
        vol_scan: 0.04,
        extreme_multiple: 3.0,
        extreme_cover: 0.33,
        exposure_rate: 0.02,
        short_option_minimum: 2_000.0,
    };
    for kind in AccountKind::ALL {
        let b = MarginBasis {
            spot: price("20000"),
            kind: UnderlyingKind::Future,
            multiplier: 50,
            rate: 0.0,
            ..basis(MarginClass::Scan(rates), kind)
        };
        for (legs, total) in [
            ("+1 F", 70_000.0),
            ("-1 21000C", 74_693.0),
            ("-1 19000P -1 21000C", 96_292.0),
            ("+1 18000P -1 19000P -1 21000C +1 22000C", 63_813.0),
            ("+1 20000C", 0.0),
            ("+1 20000C -1 21000C", 20_000.0),
        ] {
            let r = requirement(&modelled(legs, 20_000.0, 0.15, 0.0, 0.0, 30), &b);
            assert!(
                (r.total.to_f64() - total).abs() < 1.5,
                "{legs}: {r:?} {total}"
            );
            assert_eq!(
                r.parts.iter().map(|p| p.amount).sum::<Money>(),
                r.total,
                "{legs}"
            );
        }
    }
}

/// A 110 call sold, marked at 1.20 at 100: 1.20 + max(20 − 10, 10) = 11.20 a unit; at 2.20 at 102: 2.20 + 20.40 −
/// 8 = 14.60. A 90 and a 110 call sold on a hundred shares: at 80 nothing is promised away, at 120 it matters which
/// of them stands on the shares, so they are searched.
#[test]
fn a_pairing_is_counted_in_another_market() {
    let at = |spot: &str| MarginBasis {
        spot: price(spot),
        ..basis(MarginClass::Equity, AccountKind::Margin)
    };
    let held = |calls: &[(&str, &str)], shares: i64| {
        let mut held = MarginHolding {
            underlying: shares,
            ..MarginHolding::default()
        };
        for (name, mark) in calls {
            let contract = contract(name, day());
            held.add(MarginLeg {
                ends: underlying().expiry_moment(&contract),
                contract,
                quantity: -1,
                mark: price(mark),
            });
        }
        held
    };
    let last = requirement(&held(&[("110C", "1.20")], 0), &at("100"));
    assert_eq!(last.takes(), Money::whole(1_120));
    let most = last.at_most(&held(&[("110C", "2.20")], 0), &at("102"));
    assert_eq!(most, Some(Money::whole(1_460)));
    let covered = held(&[("90C", "0.50"), ("110C", "0.10")], 100);
    let last = requirement(&covered, &at("80"));
    assert_eq!(last.at_most(&covered, &at("80")), Some(last.takes()));
    let risen = held(&[("90C", "30.50"), ("110C", "11.00")], 100);
    assert_eq!(last.at_most(&risen, &at("120")), None);
}

fn some_legs() -> impl Strategy<Value = Vec<MarginLeg>> {
    let leg = (
        prop::bool::ANY,
        80..120_i64,
        -3..=3_i64,
        prop::bool::ANY,
        1..400_i64,
    );
    prop::collection::vec(leg, 1..6).prop_map(|legs| {
        let mut held = MarginHolding::default();
        for (call, strike, quantity, later, extra) in legs {
            let kind = if call { Kind::Call } else { Kind::Put };
            let strike = Price::cents(strike * 100);
            let spot = Price::cents(10_000);
            let inside = if call { spot - strike } else { strike - spot };
            let mark = inside.max(Price::ZERO) + Price::cents(extra);
            let contract = Contract {
                root: "TEST".into(),
                expiry: if later {
                    date(2031, 6, 20)
                } else {
                    date(2031, 4, 18)
                },
                kind,
                strike,
            };
            held.add(MarginLeg {
                ends: underlying().expiry_moment(&contract),
                contract,
                quantity,
                mark,
            });
        }
        held.options
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    /// In every regime: the whole never takes more than its parts, a long option never makes what
    /// it joins need more than it costs itself to hold, closing a part of everything alike never
    /// takes more, and nothing held takes nothing.
    #[test]
    fn laws_of_every_regime(a in some_legs(), b in some_legs(), shares in -200..200_i64) {
        let rates = ScanRates {
            price_scan: 0.07,
            vol_scan: 0.04,
            extreme_multiple: 3.0,
            extreme_cover: 0.33,
            exposure_rate: 0.02,
            short_option_minimum: 20.0,
        };
        let scanned = MarginBasis {
            kind: UnderlyingKind::Index,
            ..basis(MarginClass::Scan(rates), AccountKind::Margin)
        };
        let cases = [
            (basis(MarginClass::Equity, AccountKind::Margin), shares),
            (basis(MarginClass::Equity, AccountKind::Portfolio), shares),
            (scanned, 0),
        ];
        for (basis, underlying) in cases {
            let one = MarginHolding {
                options: a.clone(),
                underlying,
            };
            let two = MarginHolding {
                options: b.clone(),
                underlying: 0,
            };
            let total = |h: &MarginHolding| requirement(h, &basis).total;
            let cent = Money::from_raw(200);
            prop_assert!(
                total(&one.with(&two)) <= total(&one) + total(&two) + cent,
                "{:?}",
                basis.class
            );
            let gone = one.with(&MarginHolding {
                options: a
                    .iter()
                    .map(|l| MarginLeg {
                        quantity: -l.quantity,
                        ..l.clone()
                    })
                    .collect(),
                underlying: -underlying,
            });
            prop_assert_eq!(requirement(&gone, &basis), Requirement::default());
            let twice = one.with(&one);
            prop_assert!(
                total(&one) <= total(&twice) + cent,
                "closing half of everything"
            );
        }
    }

    /// What the pairing of one market takes in another is never less than the least pairing takes there.
    #[test]
    fn a_pairing_counted_anew_is_never_too_little(
        legs in some_legs(),
        shares in -3..=3_i64,
        spot in 80..125_i64,
        marks in prop::collection::vec(1..900_i64, 6),
    ) {
        let then = basis(MarginClass::Equity, AccountKind::Margin);
        let now = MarginBasis {
            spot: Price::cents(spot * 100),
            ..then.clone()
        };
        let before = MarginHolding {
            options: legs,
            underlying: shares * 100,
        };
        let mut after = before.clone();
        for (leg, mark) in after.options.iter_mut().zip(&marks) {
            leg.mark = Price::cents(*mark);
        }
        let last = requirement(&before, &then);
        let exact = requirement(&after, &now).takes();
        let any = !before.options.is_empty() || shares != 0;
        match last.at_most(&after, &now) {
            Some(most) => prop_assert!(most + Money::from_raw(200) >= exact, "{most} {exact}"),
            None => prop_assert!(!any || shares > 0, "it is found wherever no shares are held"),
        }
        // Another position is not counted by it.
        let other = MarginHolding {
            underlying: before.underlying + 100,
            ..after
        };
        prop_assert_eq!(last.at_most(&other, &now), None);
    }

    /// By strategy rules a bought option never raises what is needed, and taking one away may: the
    /// preview says by how much.
    #[test]
    fn a_protective_leg_never_raises_the_requirement(a in some_legs(), b in some_legs()) {
        let basis = basis(MarginClass::Equity, AccountKind::Margin);
        let held = MarginHolding {
            options: a,
            underlying: 0,
        };
        let longs = MarginHolding {
            options: b
                .iter()
                .map(|l| MarginLeg {
                    quantity: l.quantity.abs(),
                    ..l.clone()
                })
                .filter(|l| {
                    !held
                        .options
                        .iter()
                        .any(|h| h.contract == l.contract)
                })
                .collect(),
            underlying: 0,
        };
        prop_assert!(
            requirement(&held.with(&longs), &basis).total <= requirement(&held, &basis).total
        );
    }
}

/// What is held decides, whatever it is called: by structure, the level it needs.
#[test]
fn levels_follow_what_is_held() {
    let at_level = |level, kind| MarginBasis {
        rules: AccountRules { kind, level },
        ..basis(MarginClass::Equity, AccountKind::Margin)
    };
    let highest = |legs: &str, b: &MarginBasis| {
        levels(&modelled(legs, 100.0, 0.3, 0.04, 0.0, 45), b)
            .into_iter()
            .map(|n| n.level)
            .max()
            .unwrap_or(0)
    };
    let (full, low) = (
        at_level(5, AccountKind::Margin),
        at_level(1, AccountKind::Margin),
    );
    for (legs, at_full, at_low) in [
        ("+100 S -1 105C", 0, 0),
        ("+100 S +1 95P", 0, 0),
        ("+100 S +1 95P -1 105C", 0, 0),
        ("+100 S +2 95P", 2, 2),
        ("-1 90P", 4, 1),
        ("+1 100C", 2, 2),
        // The 95 put secured by cash, the 90 put bought beside it.
        ("+1 90P -1 95P", 3, 2),
        ("-1 90P +1 85P -1 105C +1 110C", 3, 3),
        ("-1 105C", 5, 5),
        ("+1 100C -2 105C", 5, 5),
        ("+1 100P -2 95P", 4, 2),
        ("-1 90P -1 110C", 5, 5),
        ("+100 S -2 105C", 5, 5),
        ("-100 S -1 95P", 4, 1),
        // Limited, though the spread needs more margin than the call would uncovered.
        ("-1 100C +1 160C", 3, 3),
    ] {
        assert_eq!(
            (highest(legs, &full), highest(legs, &low)),
            (at_full, at_low),
            "{legs}"
        );
    }
    let index = MarginBasis {
        kind: UnderlyingKind::Index,
        ..full
    };
    assert_eq!(highest("-1 90P", &index), 5, "index writing");
    let cash = AccountRules {
        kind: AccountKind::Cash,
        level: 5,
    };
    assert!(cash.allows() == 2 && cash.puts_secured() && cash.words().contains("cash account"));
    // Secured, a put needs its whole strike, and the pairing knows.
    let secured = requirement(
        &modelled("-1 90P +1 85P", 100.0, 0.3, 0.04, 0.0, 45),
        &at_level(3, AccountKind::Margin),
    );
    assert_eq!(secured.total, Money::whole(500));
    assert_eq!(
        requirement(&modelled("-1 90P", 100.0, 0.3, 0.04, 0.0, 45), &low).total,
        Money::whole(9_000)
    );
}

fn order(id: u64, day: Date, minute: i64, legs: &[(i64, &str)]) -> Order {
    let at = Moment::at(day, 10, minute);
    let legs = legs
        .iter()
        .map(|(n, c)| Leg::option(contract(c, date(2031, 4, 18)), *n));
    let unit = Package::new(legs).unwrap();
    let fill = Fill {
        order: id,
        at,
        packages: 1,
        price: Price::ZERO,
        legs: unit
            .legs()
            .iter()
            .map(|l| FillLeg {
                instrument: l.instrument.clone(),
                quantity: l.quantity,
                price: Price::cents(100),
                terms: None,
            })
            .collect(),
        fees: Money::ZERO,
    };
    let request = Request {
        client_id: id.to_string(),
        symbol: "TEST".into(),
        unit,
        quantity: 1,
        pricing: Pricing::Market,
        trigger: None,
        link: Link::default(),
        time_in_force: TimeInForce::Day,
        purpose: Purpose::Open,
        closing: Vec::new(),
    };
    Order {
        id,
        placed: at,
        request,
        events: vec![(at, Event::Accepted), (at, Event::Filled(fill))],
    }
}

/// FINRA 4210(f)(8)(B), from memory: a package closed as it was opened counts once, legs closed by
/// themselves count each; overnight nothing counts; four in five sessions of which they are more
/// than 6 % are a pattern, and a pattern forbids opening below 25,000.
#[test]
fn day_trades_are_counted_as_the_rule_has_it() {
    let (mon, tue) = (date(2031, 3, 10), date(2031, 3, 11));
    let condor = [(1, "90P"), (-1, "95P"), (-1, "105C"), (1, "110C")];
    let turned = condor.map(|(n, c)| (-n, c));
    let rule = day_trade_rule(tue, DayTradeSwitch::ByDate).unwrap();
    assert_eq!(day_trade_rule(tue, DayTradeSwitch::Off), None);
    assert_eq!(
        day_trade_rule(date(1999, 1, 4), DayTradeSwitch::ByDate),
        None,
        "before its first day"
    );
    // What is held afterwards is what was traded, and what was there before.
    let with = |orders: &[Order], before: &[(i64, &str)]| {
        let changes: Vec<Change<'_>> = orders
            .iter()
            .flat_map(|o| o.fills().map(move |f| (o.id, f)))
            .flat_map(|(order, f)| {
                f.legs.iter().map(move |l| Change {
                    at: f.at,
                    order: Some(order),
                    instrument: &l.instrument,
                    quantity: l.quantity,
                })
            })
            .collect();
        let held = |i: &Instrument| {
            let traded: i64 = changes
                .iter()
                .filter(|c| c.instrument == i)
                .map(|c| c.quantity)
                .sum();
            let there = |(n, c): &(i64, &str)| {
                (Instrument::from(contract(c, date(2031, 4, 18))) == *i).then_some(*n)
            };
            traded + before.iter().filter_map(there).sum::<i64>()
        };
        day_trading(rule, tue, changes.iter().copied(), held, |_| true)
    };
    let count = |orders: &[Order]| with(orders, &[]);
    assert_eq!(
        with(
            &[
                order(1, tue, 1, &[(-1, "100C")]),
                order(2, tue, 2, &[(1, "100C")])
            ],
            &[(1, "100C")]
        )
        .count(),
        0,
        "held overnight, sold, then bought anew"
    );
    assert_eq!(
        with(
            &[
                order(1, tue, 1, &[(1, "100C")]),
                order(2, tue, 2, &[(-1, "100C")])
            ],
            &[(1, "100C")]
        )
        .count(),
        1,
        "bought more and sold it on the same day"
    );
    assert_eq!(
        count(&[order(1, tue, 1, &condor), order(2, tue, 2, &turned)]).count(),
        1,
        "a package as a unit"
    );
    assert_eq!(
        count(&[order(1, mon, 1, &condor), order(2, tue, 2, &turned)]).count(),
        0,
        "overnight"
    );
    assert_eq!(
        count(&[
            order(1, tue, 1, &condor),
            order(2, tue, 2, &turned[..2]),
            order(3, tue, 3, &turned[2..])
        ])
        .count(),
        4,
        "legs by themselves"
    );
    assert_eq!(
        count(&[
            order(1, date(2031, 3, 3), 1, &condor),
            order(2, date(2031, 3, 3), 2, &turned)
        ])
        .count(),
        0,
        "six sessions ago"
    );
    let four: Vec<Order> = (0..4)
        .flat_map(|i| {
            [
                order(2 * i + 1, tue, 10 * i as i64, &condor),
                order(2 * i + 2, tue, 10 * i as i64 + 5, &turned),
            ]
        })
        .collect();
    let all = count(&four);
    assert!(
        all.count() == 4
            && all.is_pattern()
            && all.forbids_opening(Money::whole(24_999))
            && !all.forbids_opening(Money::whole(25_000))
    );
    assert!(!count(&four[..6]).is_pattern());
    let none = std::iter::empty();
    assert_eq!(day_trading(rule, tue, none, |_| 1, |_| true).count(), 0);
    let many: Vec<Order> = four
        .into_iter()
        .chain((0..80).map(|i| order(100 + i, mon, 0, &[(1, "100C")])))
        .collect();
    assert!(
        !count(&many).is_pattern(),
        "four of nearly ninety are no more than 6 %"
    );
}

/// A cash account may not sell shares that it does not have: nobody lends it any. A margin account may.
#[test]
fn a_cash_account_sells_no_shares_short() {
    for (kind, needs) in [(AccountKind::Cash, 1), (AccountKind::Margin, 0)] {
        let b = basis(MarginClass::Equity, kind);
        let short = MarginHolding {
            underlying: -100,
            ..MarginHolding::default()
        };
        let beyond = levels(&short, &b);
        let beyond = beyond.iter().filter(|n| n.level > b.rules.allows());
        assert_eq!(beyond.count(), needs, "{kind:?}");
        let held = MarginHolding {
            underlying: 100,
            ..MarginHolding::default()
        };
        assert_eq!(levels(&held, &b), []);
    }
}

/// Shares at 100 pay 1.00 four times before a call of a year ends. The call with a strike of 60 is worth
/// what it would be on the shares less 3.92, their present value: under portfolio rules it loses as the
/// shares fall and gains as they rise, about 97 cents a unit (recomputed by hand with the European formula:
/// the call is all but certain to be exercised, so it moves with the shares). When dividends were priced
/// at nothing its mark implied no volatility, and every move showed a gain of about 440.
#[test]
fn portfolio_rules_know_cash_dividends() {
    let paid = [60, 150, 240, 330].map(|days| {
        let ex = today().checked_add(jiff::Span::new().days(days)).unwrap();
        (desk::calendar::open_of(ex), price("1"))
    });
    let b = MarginBasis {
        dividends: paid.into(),
        ..basis(MarginClass::Equity, AccountKind::Portfolio)
    };
    let present: f64 = [60.0, 150.0, 240.0, 330.0]
        .iter()
        .map(|days: &f64| (-0.04 * days / 365.0).exp())
        .sum();
    assert!((present - 3.9157).abs() < 0.0001, "{present}");
    let expiry = today().checked_add(jiff::Span::new().days(365)).unwrap();
    let terms = |strike: f64| quant::Terms {
        kind: Kind::Call,
        style: Style::European,
        strike,
        time: 1.0,
        rate: 0.04,
        carry_yield: 0.0,
        vol: 0.25,
    };
    let worth = |spot: f64| quant::european_price(&terms(60.0), spot - present);
    let call = |quantity| {
        let mut held = MarginHolding::default();
        let c = contract("60C", expiry);
        held.add(MarginLeg {
            ends: underlying().expiry_moment(&c),
            contract: c,
            quantity,
            mark: Price::from_f64(worth(100.0)).unwrap(),
        });
        held
    };
    let long = requirement(&call(1), &b).total.to_f64();
    let fallen = 100.0 * (worth(100.0) - worth(85.0));
    assert!(
        (long - fallen).abs() < 0.5 && long > 1_300.0,
        "{long} {fallen}"
    );
    let short = requirement(&call(-1), &b).total.to_f64();
    let risen = 100.0 * (worth(115.0) - worth(100.0));
    assert!(
        (short - risen).abs() < 0.5 && short > 1_400.0,
        "{short} {risen}"
    );
}
