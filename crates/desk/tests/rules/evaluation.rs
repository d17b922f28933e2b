//! The one answer, seen from the trader's side.

use crate::common::*;
use desk::rules::{Condition, Measure, Rule, Scope, Side};
use desk::*;

fn proposal(s: Holding) -> Proposal {
    Proposal {
        structure: s,
        entry: EntryPrice::Middle,
        range: None,
        realised: Money::ZERO,
        closing: false,
    }
}

fn account() -> AccountView {
    AccountView {
        cash: Money::whole(25_000),
        fees: Fees {
            option: "0.65".parse().unwrap(),
            future: Money::ZERO,
        },
        ..AccountView::default()
    }
}

#[test]
fn an_iron_condor_read_back_in_words_and_money() {
    let m = market(
        &underlying(),
        &[
            ("0.55", "0.65"),
            ("1.55", "1.65"),
            ("1.65", "1.75"),
            ("0.65", "0.75"),
        ],
    );
    let e = evaluate(
        &proposal(structure("+2 90P -2 95P -2 105C +2 110C")),
        &m,
        &account(),
    )
    .unwrap();
    assert_eq!(
        (e.name.text.as_str(), e.packages, e.price),
        ("iron condor", 2, price("-2.00"))
    );
    assert_eq!(
        (e.quote.rest, e.quote.cross),
        (price("-2.12"), price("-1.88"))
    );
    let words = e.sentences.join(" ");
    assert_eq!(
        words,
        "2 × Iron condor on TEST, 38 days: you receive 400.00 now. Most you can make: 400.00, \
         between 95 and 105. Most you can lose: 600.00, at 90 and below or at 110 and above. Break-even \
         at 93.00 and at 107.00."
    );
    assert_eq!(
        tails(&e.horizon),
        (
            "above 110: −600.00, flat".into(),
            "down to zero: −600.00, flat".into()
        )
    );
    assert_eq!(e.money.alone.total, Money::whole(1_000));
    // 25,000 + 400 credit − 8 × 0.65 − 1,000 requirement.
    assert_eq!(
        (
            e.money.buying_power_now.to_string(),
            e.money.buying_power_after.to_string()
        ),
        ("25000.00".into(), "24394.80".into())
    );
    assert!(
        e.checks
            .iter()
            .any(|c| c.verdict == Verdict::Note && c.text.contains("results on 20 Mar"))
    );
    assert_eq!(
        (
            e.curves.prices.len(),
            e.curves.outline.len(),
            e.curves.today.len()
        ),
        (200, 200, 200)
    );
    assert!(e.greeks.theta > 0.0 && e.greeks.vega < 0.0 && e.greeks.gamma < 0.0);
}

#[test]
fn closing_gives_the_buying_power_back_and_an_expired_leg_is_refused_by_name() {
    let m = market(&underlying(), &[("0.55", "0.65"), ("1.55", "1.65")]);
    let held = structure("+1 90P -1 95P");
    let mut a = account();
    a.here = margined(&held, m.underlying, &m.legs);
    let closing = Proposal {
        realised: Money::ZERO,
        closing: true,
        ..proposal(held.reversed())
    };
    let e = evaluate(&closing, &m, &a).unwrap();
    assert_eq!(
        (e.money.requirement_change, e.money.cash),
        (Money::whole(-500), Money::whole(-100))
    );
    assert!(e.money.takes() < Money::ZERO);
    let late = MarketView {
        at: Moment::at(day(), 16, 0),
        ..m
    };
    let refused = evaluate(&closing, &late, &a).unwrap_err().to_string();
    assert!(
        refused.contains("TEST  310418P00090000 expired on 2031-04-18"),
        "{refused}"
    );
}

#[test]
fn warnings_name_the_unlimited_loss_and_the_wrong_side_of_the_money() {
    let m = market(&underlying(), &[("3.35", "3.45"), ("1.55", "1.65")]);
    let ratio = evaluate(&proposal(structure("+1 100C -2 105C")), &m, &account()).unwrap();
    assert!(
        ratio
            .checks
            .iter()
            .any(|c| c.verdict == Verdict::Warning && c.text.contains("no limit"))
    );
    assert_eq!(
        tails(&ratio.horizon).0,
        "above 105: loses 100 per point, no limit"
    );
    let wrong = Proposal {
        entry: EntryPrice::Net(price("0.40")),
        ..proposal(structure("-1 100C +1 105C"))
    };
    let e = evaluate(&wrong, &m, &account()).unwrap();
    assert!(
        e.checks.iter().any(|c| c
            .text
            .contains("normally brings money in; this one costs 40.00")),
        "{:?}",
        e.checks
    );
    let put = evaluate(
        &proposal(structure("-1 95P")),
        &market(&underlying(), &[("1.55", "1.65")]),
        &account(),
    )
    .unwrap();
    assert_eq!(
        tails(&put.horizon).1,
        "down to zero: loses 100 per point, −9,340.00 at zero"
    );
}

/// Call calendar 100, 30/60 days, volatilities 25/24 %, r = 4 %: recomputed with an independent
/// library: debit 1.183076, most 1.724075 at 100, even at 95.8140 and 105.2737.
#[test]
fn a_calendar_is_judged_at_its_first_expiration() {
    let now = Moment::at(jiff::civil::date(2031, 3, 11), 16, 0);
    let near = now.plus_millis(30 * 86_400_000).date();
    let far = now.plus_millis(60 * 86_400_000).date();
    let s = Holding::new(
        on("-1 100C", near)
            .legs()
            .iter()
            .chain(on("+1 100C", far).legs())
            .cloned(),
    );
    let u = Underlying {
        style: quant::Style::European,
        ..underlying()
    };
    let mut m = market(&u, &[("3.00", "3.10"), ("4.20", "4.30")]);
    m.at = now;
    m.legs[1].vol = 0.24;
    let exact = Proposal {
        entry: EntryPrice::Net(price("1.183076")),
        ..proposal(s)
    };
    let e = evaluate(&exact, &m, &account()).unwrap();
    assert!(e.horizon.estimate && e.name.text == "long call calendar");
    let Extent::Limited { profit, places } = &e.horizon.shape.most else {
        panic!()
    };
    let from = places[0].0;
    assert!(
        (profit.to_f64() - 172.41).abs() < 0.02 && (from.to_f64() - 100.0).abs() < 0.3,
        "{profit} at {from}"
    );
    let evens: Vec<f64> = e
        .horizon
        .shape
        .evens
        .iter()
        .map(|e| {
            if let Even::Point(p) = e {
                p.to_f64()
            } else {
                f64::NAN
            }
        })
        .collect();
    assert!(
        // 95.8140 and 105.2737, told to the step of the shares.
        evens == [95.81, 105.27],
        "{evens:?}"
    );
    assert!((e.curves.today[100] - 0.0).abs() < 500.0);
}

#[test]
fn shares_and_futures_are_told_as_what_they_are() {
    let own = |quantity| {
        Holding::new([Leg {
            instrument: Instrument::Underlying("TEST".into()),
            quantity,
        }])
    };
    let m = market(&underlying(), &[("99.99", "100.01")]);
    let shares = evaluate(&proposal(own(150)), &m, &account()).unwrap();
    assert_eq!(
        shares.sentences[0],
        "Buy 150 shares of TEST: you pay 15,000.00 now."
    );
    // Half is lent on them, and shares cost no fee.
    assert_eq!(shares.money.takes(), Money::whole(7_500));
    assert_eq!((shares.greeks.delta, shares.greeks.vega), (150.0, 0.0));
    let scan = ScanRates {
        price_scan: 0.06,
        vol_scan: 0.03,
        extreme_multiple: 3.0,
        extreme_cover: 0.33,
        exposure_rate: 0.0,
        short_option_minimum: 0.0,
    };
    let bond = Underlying {
        kind: UnderlyingKind::Future,
        multiplier: 1_000,
        margin_class: MarginClass::Scan(scan),
        ..underlying()
    };
    let m = MarketView {
        carry: Carry::Future,
        ..market(&bond, &[("99.99", "100.01")])
    };
    let future = evaluate(&proposal(own(-2)), &m, &account()).unwrap();
    assert_eq!(
        future.sentences[0],
        "Sell 2 futures of TEST: no money changes hands now."
    );
    assert_eq!(
        (future.money.alone.total, future.money.takes()),
        (Money::whole(12_000), Money::whole(12_000))
    );
    assert_eq!(
        (future.greeks.delta, future.horizon.shape.least.clone()),
        (-2_000.0, Extent::Unlimited)
    );
    assert!(future.horizon.shape.evens == [Even::Point(price("100.00"))]);
}

/// A dividend of 2.00 in ten days and a call deep in the money (15.1234 by a fine grid, 13.8625
/// when only held; the grid of `quant` gives the same): it is worth exercising before it.
#[test]
fn a_call_is_worth_exercising_before_a_dividend() {
    let u = underlying();
    let at = Moment::at(jiff::civil::date(2031, 3, 11), 16, 0);
    let expiry = jiff::civil::date(2031, 5, 10);
    let carry = Carry::Dividends(vec![(at.plus_millis(10 * 86_400_000), price("2.00"))]);
    let worth = |kind, strike: &str, days: i64| {
        let c = Contract {
            root: "TEST".into(),
            expiry,
            kind,
            strike: price(strike),
        };
        let then = at.plus_millis(days * 86_400_000);
        Priced::new(
            &c,
            &u,
            then,
            &PricedIn {
                rate: 0.05,
                carry: &carry,
                spot: 105.0,
                vol: 0.20,
            },
        )
        .unwrap()
        .price(105.0)
    };
    // Within a cent of the value with the right to wait and see.
    assert!(
        (worth(Kind::Call, "90", 0) - 15.1234).abs() < 0.01,
        "{}",
        worth(Kind::Call, "90", 0)
    );
    assert!(
        (worth(Kind::Call, "90", 11) - 15.5).abs() < 0.2,
        "once the dividend is gone nothing hurries"
    );
    let european = |q: f64| {
        quant::european_price(
            &quant::Terms {
                kind: Kind::Call,
                style: Style::European,
                strike: 130.0,
                time: 60.0 / 365.0,
                rate: 0.05,
                carry_yield: q,
                vol: 0.20,
            },
            105.0,
        )
    };
    let q = carry.yield_until(at, Moment::at(expiry, 16, 0), 0.05, 105.0);
    assert!(
        (worth(Kind::Call, "130", 0) - european(q)).abs() < 1e-12,
        "far out of the money it is held"
    );
    assert!(
        (105.0 * (-q * 60.0_f64 / 365.0).exp() - (105.0 - 2.0 * (-0.05 * 10.0_f64 / 365.0).exp()))
            .abs()
            < 1e-9,
        "the same forward"
    );
}

/// Names that account and market decide, the price by hand, and the money of a whole against its
/// legs (strategy margin: a spread needs its width, a lone short put the uncovered rule).
#[test]
fn money_is_told_three_ways_and_the_price_may_be_written() {
    let m = market(&underlying(), &[("0.65", "0.75"), ("1.55", "1.65")]);
    let s = structure("+1 90P -1 95P");
    let at = |entry| {
        evaluate(
            &Proposal {
                entry,
                ..proposal(s.clone())
            },
            &m,
            &account(),
        )
        .unwrap()
    };
    let e = at(EntryPrice::Middle);
    assert_eq!(
        (e.money.needed, e.money.tied_up),
        (Money::whole(500), Money::whole(410)),
        "width, then width less premium"
    );
    assert!(
        e.money.leg_by_leg > e.money.tied_up
            && e.money.saved() == e.money.leg_by_leg - e.money.tied_up
    );
    assert!(at(EntryPrice::Rest).price < e.price && e.price < at(EntryPrice::Cross).price);
    assert_eq!(
        at(EntryPrice::Net(price("-1.05"))).money.cash,
        Money::whole(105)
    );
    // One leg by hand, the other at its middle.
    let legs = at(EntryPrice::Legs(vec![Some(price("0.50")), None]));
    assert_eq!(legs.price, price("-1.10"));
    let rich = AccountView {
        cash: Money::whole(60_000),
        ..account()
    };
    let put = |view: &AccountView| {
        evaluate(
            &proposal(structure("-1 95P")),
            &market(&underlying(), &[("1.55", "1.65")]),
            view,
        )
        .unwrap()
        .name
        .text
    };
    assert_eq!(
        (
            put(&rich),
            put(&AccountView {
                cash: Money::whole(9_000),
                ..account()
            })
        ),
        ("cash-secured put".into(), "short put".into())
    );
    let mut deep = market(&underlying(), &[("31.80", "32.20")]);
    deep.legs[0].theoretical = 32.0;
    let leap = evaluate(
        &proposal(on("+1 70C", jiff::civil::date(2032, 1, 16))),
        &deep,
        &account(),
    )
    .unwrap();
    assert_eq!(leap.name.text, "stock-replacement call");
}

/// Checks name the reason and its number: assignment before a dividend (exercise pays when the
/// dividend is more than the time value; Merton 1973), interest on a deep put, a price off its
/// theoretical value, the trader's own rule.
#[test]
fn checks_have_reasons() {
    let told = |s: &Holding, m: &MarketView<'_>, view: &AccountView| -> Vec<String> {
        evaluate(&proposal(s.clone()), m, view)
            .unwrap()
            .checks
            .into_iter()
            .filter(|c| c.verdict != Verdict::Fine)
            .map(|c| c.text)
            .collect()
    };
    let says = |all: &[String], words: &str| all.iter().any(|t| t.contains(words));
    let ex = Moment::at(jiff::civil::date(2031, 4, 1), 9, 30);
    let mut call = market(&underlying(), &[("10.05", "10.15")]);
    call.carry = Carry::Dividends(vec![(ex, price("0.90"))]);
    let short = structure("-1 90C");
    assert!(says(
        &told(&short, &call, &account()),
        "may be assigned before 1 Apr: its time value 0.10 is less than the dividend 0.90"
    ));
    call.carry = Carry::Dividends(vec![(ex, price("0.05"))]);
    assert!(!says(&told(&short, &call, &account()), "assigned"));
    let put = market(&underlying(), &[("25.00", "25.10")]);
    assert!(says(
        &told(&structure("-1 125P"), &put, &account()),
        "less than the interest on its strike"
    ));
    let european = Underlying {
        style: quant::Style::European,
        ..underlying()
    };
    assert!(!says(
        &told(
            &structure("-1 125P"),
            &market(&european, &[("25.00", "25.10")]),
            &account()
        ),
        "assigned"
    ));
    let mut dear = market(&underlying(), &[("2.00", "2.10")]);
    dear.legs[0].theoretical = 1.50;
    assert!(says(
        &told(&structure("+1 100P"), &dear, &account()),
        "0.55 worse than its theoretical value of 1.50 debit"
    ));
    let cheap = Proposal {
        entry: EntryPrice::Net(price("0.50")),
        ..proposal(structure("+1 100P"))
    };
    let kind = evaluate(&cheap, &dear, &account()).unwrap().checks;
    assert!(
        kind.iter()
            .any(|c| c.text
                == "1.00 better than its theoretical value of 1.50 debit; it may never fill"),
        "{kind:?}"
    );
    // What closes a bought call sells it, and leaves nothing to be assigned.
    call.carry = Carry::Dividends(vec![(ex, price("0.90"))]);
    let closing = evaluate(
        &Proposal {
            realised: Money::ZERO,
            closing: true,
            ..proposal(short)
        },
        &call,
        &account(),
    )
    .unwrap()
    .checks;
    assert!(
        !closing.iter().any(|c| c.text.contains("assigned")),
        "{closing:?}"
    );
    let risk = |percent: Option<&str>| -> Vec<Rule> {
        let limit = percent.map(|p| p.parse().unwrap());
        let rule = |limit| Rule {
            id: 1,
            scope: Scope::All,
            condition: Condition {
                measure: Measure::TradeRisk,
                side: Side::Above,
                limit,
            },
            again: None,
            on: true,
        };
        limit.map(rule).into_iter().collect()
    };
    let ruled = AccountView {
        value: Money::whole(8_200),
        trade_rules: risk(Some("1")),
        ..account()
    };
    assert!(says(
        &told(&structure("+1 100P"), &dear, &ruled),
        "part of the account at risk: 2.5 %; your rule says at most 1 %"
    ));
    // Twenty percent of 8,200 are eight packages that can lose 205 each, whatever size was asked
    // about.
    let sized = |quantity: i64, percent| {
        let view = AccountView {
            trade_rules: risk(percent),
            ..ruled.clone()
        };
        evaluate(
            &proposal(structure("+1 100P").times(quantity)),
            &dear,
            &view,
        )
        .unwrap()
        .allowed
    };
    assert_eq!(
        (
            sized(1, Some("20")),
            sized(3, Some("20")),
            sized(1, Some("1")),
            sized(1, None)
        ),
        (Some(8), Some(8), Some(0), None)
    );
}
