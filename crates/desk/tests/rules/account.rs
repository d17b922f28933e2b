//! Lots, journal and reconciliation, in traders' words.

use crate::common::*;
use desk::*;
use proptest::prelude::*;

fn at(minute: i64) -> Moment {
    Moment::at(day(), 10, 0).plus_millis(minute * 60_000)
}

fn fill(order: u64, minute: i64, legs: &[(i64, &str, &str)], fees: &str) -> Fill {
    let legs = legs.iter().map(|(quantity, c, p)| FillLeg {
        instrument: contract(c, day()).into(),
        quantity: *quantity,
        price: price(p),
        terms: None,
    });
    Fill {
        order,
        at: at(minute),
        packages: 1,
        price: Price::ZERO,
        legs: legs.collect(),
        fees: fees.parse().unwrap(),
    }
}

#[test]
fn first_in_first_out_through_zero() {
    // Worked example: +2 @3.00, +1 @3.50, −2 @4.00 books 200; −3 @4.20 books 70 and leaves −2
    // @4.20.
    let mut a = Account::default();
    a.deposit(at(0), Money::whole(10_000));
    for (order, campaign, quantity, p, fees) in [
        (1, None, 2, "3.00", "1.30"),
        (2, Some(1), 1, "3.50", "0.65"),
        (3, Some(1), -2, "4.00", "1.30"),
    ] {
        let f = fill(order, order as i64, &[(quantity, "100C", p)], fees);
        a.fill(&f, campaign, &underlying(), "traded".into());
    }
    assert_eq!(a.balance(Book::Realised), Money::whole(-200));
    a.fill(
        &fill(4, 4, &[(-3, "100C", "4.20")], "1.95"),
        Some(1),
        &underlying(),
        "sold".into(),
    );
    assert_eq!(a.balance(Book::Realised), Money::whole(-270));
    let lots: Vec<_> = a.lots().iter().map(|l| (l.quantity, l.price())).collect();
    assert_eq!(lots, [(-2, price("4.20"))]);
    assert_eq!(a.violations(), Vec::<String>::new());
    assert_eq!(a.balance(Book::Cash).to_string(), "11104.80");
}

#[test]
fn a_condor_closed_by_halves_books_its_result_and_gives_everything_back() {
    let condor = [
        (2, "90P", "0.60"),
        (-2, "95P", "1.60"),
        (-2, "105C", "1.70"),
        (2, "110C", "0.70"),
    ];
    let mut a = Account::default();
    a.deposit(at(0), Money::whole(5_000));
    a.fill(
        &fill(1, 1, &condor, "5.20"),
        None,
        &underlying(),
        "opened".into(),
    );
    assert_eq!(a.balance(Book::Cash).to_string(), "5394.80");
    let half = [
        (-1, "90P", "0.20"),
        (1, "95P", "0.70"),
        (1, "105C", "0.80"),
        (-1, "110C", "0.30"),
    ];
    a.fill(
        &fill(2, 2, &half, "2.60"),
        Some(1),
        &underlying(),
        "half".into(),
    );
    assert_eq!(a.totals(1).realised.to_string(), "100.00");
    assert_eq!(a.held(&contract("95P", day()).into()), -1);
    a.fill(
        &fill(3, 3, &half, "2.60"),
        Some(1),
        &underlying(),
        "rest".into(),
    );
    assert!(a.lots().is_empty());
    assert_eq!(
        a.totals(1),
        CampaignTotals {
            net_cash: Money::whole(200),
            realised: Money::whole(200),
            fees: "10.40".parse().unwrap()
        }
    );
    assert_eq!(a.balance(Book::Cash).to_string(), "5189.60");
    assert_eq!(a.violations(), Vec::<String>::new());
}

/// Two campaigns in one contract stand side by side: an order of one never touches the other's
/// lots.
#[test]
fn an_order_of_one_campaign_never_consumes_another_s_lots() {
    let mut a = Account::default();
    let mut trade = |order: u64, campaign, quantity, p| {
        let f = fill(order, order as i64, &[(quantity, "100C", p)], "0");
        a.fill(&f, campaign, &underlying(), "traded".into());
    };
    trade(1, None, 1, "3.00");
    trade(2, None, 1, "5.00");
    trade(3, Some(2), -1, "4.00");
    trade(4, None, -1, "3.50");
    let c: Instrument = contract("100C", day()).into();
    assert_eq!((a.held_by(1, &c), a.held_by(4, &c), a.held(&c)), (1, -1, 0));
    assert_eq!(
        [1, 2, 4].map(|id| a.totals(id).realised),
        [Money::ZERO, Money::whole(-100), Money::ZERO]
    );
    // In the money by 2.50 at the end: the two sides end against each other, nothing is delivered.
    let c = contract("100C", day());
    let ended = a
        .offset(at(9), &c, price("2.50"), &[], "ended".into())
        .unwrap();
    assert_eq!(ended.amount(Book::Cash), Money::ZERO);
    assert_eq!(
        [1, 4].map(|id| a.totals(id).realised),
        [Money::whole(-50), Money::whole(100)]
    );
    assert!(a.lots().is_empty() && a.violations().is_empty());
    assert!(
        a.offset(at(9), &c, price("2.50"), &[], "again".into())
            .is_none()
    );
}

/// 2 shares at 10.12345 cost 20.2469; one sold takes half to the nearest 1e-4 and the rest stays,
/// so that the books still add up and are made again the same.
#[test]
fn prices_finer_than_money_never_drift() {
    let run = || {
        let mut a = Account::default();
        a.deposit(at(0), Money::whole(1_000));
        a.fill(
            &filled(1, 1, vec![shares(2, "10.12345")]),
            None,
            &underlying(),
            "bought".into(),
        );
        a.fill(
            &filled(2, 2, vec![shares(-1, "11.00")]),
            Some(1),
            &underlying(),
            "sold".into(),
        );
        a
    };
    let a = run();
    assert_eq!(a.violations(), Vec::<String>::new());
    assert_eq!(a.lots()[0].basis.to_string(), "10.1235");
    assert_eq!(a.totals(1).realised.to_string(), "0.8766");
    assert_eq!(a, run());
}

/// Chapters are told for what they were, and a campaign can be named, moved from, split and merged
/// without a cent being lost.
#[test]
fn a_campaign_is_told_in_chapters_and_can_be_rearranged() {
    use ChapterKind::*;
    let mut a = Account::default();
    let u = underlying();
    let trade = |a: &mut Account, order: u64, campaign, legs: &[(i64, &str, &str)]| {
        a.fill(
            &fill(order, order as i64, legs, "1"),
            campaign,
            &u,
            "traded".into(),
        );
    };
    trade(&mut a, 1, None, &[(-2, "95P", "1.60"), (2, "90P", "0.60")]);
    trade(
        &mut a,
        2,
        Some(1),
        &[(1, "95P", "2.60"), (-1, "85P", "0.90")],
    );
    trade(&mut a, 3, Some(1), &[(1, "100C", "3.00")]);
    trade(&mut a, 4, Some(1), &[(-1, "100C", "3.50")]);
    let kinds = |a: &Account, id| -> Vec<ChapterKind> {
        a.campaign(id)
            .unwrap()
            .chapters
            .iter()
            .map(|c| c.kind)
            .collect()
    };
    assert_eq!(kinds(&a, 1), [Opened, Rolled, Adjusted, PartClosed]);
    assert_eq!(a.totals(1).realised, Money::whole(-50));
    // The 85 put becomes a campaign of its own at what it cost.
    let put: Instrument = contract("85P", day()).into();
    let moved = a.transfer(at(5), (1, 9), &[(put.clone(), -1)], "split".into());
    assert_eq!(moved.unwrap().amount(Book::Cash), Money::ZERO);
    assert_eq!(
        (a.totals(9).net_cash, a.open_cost(9), a.totals(9).realised),
        (Money::whole(90), Money::whole(-90), Money::ZERO)
    );
    assert_eq!(kinds(&a, 9), [MovedIn]);
    assert!(
        a.transfer(at(6), (1, 9), &[(put.clone(), -1)], "not held".into())
            .is_none()
    );
    // Bought in another campaign and merged: the two sides close each other at what they cost.
    trade(&mut a, 10, None, &[(1, "85P", "0.40")]);
    a.merge(at(11), 10, 9, "merged".into()).unwrap();
    assert_eq!((a.home(10), a.totals(10)), (9, a.totals(9)));
    assert_eq!(
        (a.totals(9).realised, a.held_by(9, &put)),
        (Money::whole(50), 0)
    );
    assert_eq!(kinds(&a, 9), [MovedIn, Opened, Merged]);
    let label = Label {
        name: "the income leg".into(),
        ..Label::default()
    };
    assert_eq!(a.describe(10, label.clone()).unwrap().label, label);
    assert_eq!(a.violations(), Vec::<String>::new());
    trade(
        &mut a,
        11,
        Some(1),
        &[(1, "95P", "1.00"), (-2, "90P", "0.30")],
    );
    assert_eq!(kinds(&a, 1).last(), Some(&Closed));
    assert!(a.lots_of(1).next().is_none() && a.violations().is_empty());
}

proptest! {
    #[test]
    fn cash_plus_positions_reconcile_after_any_sequence(
        trades in prop::collection::vec(
            (
                0..3_usize,
                -5..6_i64,
                1..800_i64,
                prop::option::of(1..6_u64),
            ),
            1..40,
        ),
    ) {
        let names = ["95P", "100C", "105C"];
        let mut a = Account::default();
        a.deposit(at(0), Money::whole(50_000));
        let mut expected = 5_000_000_i64;
        for (i, (which, quantity, cents, closes)) in trades.into_iter().enumerate() {
            if quantity == 0 {
                continue;
            }
            let text = Price::cents(cents).to_string();
            let order = i as u64 + 1;
            let f = fill(order, i as i64, &[(quantity, names[which], &text)], "0.65");
            let campaign = closes.filter(|c| a.campaign(*c).is_some());
            a.fill(&f, campaign, &underlying(), "trade".into());
            expected -= quantity * cents * 100 + 65;
            prop_assert_eq!(a.violations(), Vec::<String>::new());
        }
        prop_assert_eq!(a.balance(Book::Cash), Money::from_raw(expected * 100));
        // Realised − fees + cost of what is open = change of cash, turned around.
        let total: Money = [
            Book::Cash,
            Book::Positions,
            Book::Realised,
            Book::Fees,
            Book::Capital,
        ]
        .map(|b| a.balance(b))
        .into_iter()
        .sum();
        prop_assert_eq!(total, Money::ZERO);
    }
}

fn shares(quantity: i64, at: &str) -> FillLeg {
    FillLeg {
        instrument: Instrument::Underlying("TEST".into()),
        quantity,
        price: price(at),
        terms: None,
    }
}

fn filled(order: u64, minute: i64, legs: Vec<FillLeg>) -> Fill {
    Fill {
        order,
        at: at(minute),
        packages: 1,
        price: Price::ZERO,
        legs,
        fees: Money::ZERO,
    }
}

fn option(quantity: i64, c: &str, p: &str) -> FillLeg {
    FillLeg {
        instrument: contract(c, day()).into(),
        quantity,
        price: price(p),
        terms: None,
    }
}

/// A contract that is another today than when it was traded is booked as it was then.
#[test]
fn a_fill_is_booked_by_the_terms_it_had() {
    let (mut then, mut now) = (Account::default(), Account::default());
    let leg = option(2, "105C", "1.20");
    let terms = Some(FillTerms {
        units: 10,
        margined: false,
    });
    let kept = FillLeg {
        terms,
        ..leg.clone()
    };
    then.fill(
        &filled(1, 1, vec![kept]),
        None,
        &underlying(),
        String::new(),
    );
    now.fill(&filled(1, 1, vec![leg]), None, &underlying(), String::new());
    assert_eq!(then.balance(Book::Cash), "-24".parse().unwrap());
    assert_eq!(now.balance(Book::Cash), "-240".parse().unwrap());
}

#[test]
fn a_covered_call_collects_its_dividend_and_is_called_away() {
    let mut a = Account::default();
    a.deposit(at(0), Money::whole(20_000));
    a.fill(
        &filled(
            1,
            1,
            vec![option(-1, "105C", "1.20"), shares(100, "100.00")],
        ),
        None,
        &underlying(),
        "opened".into(),
    );
    assert_eq!(a.balance(Book::Cash), Money::whole(20_000 - 10_000 + 120));
    let paid = a
        .dividend(at(2), "TEST", price("0.87"), &[], "dividend".into())
        .unwrap();
    assert_eq!(
        (paid.kind, paid.amount(Book::Cash)),
        (EntryKind::Dividend, Money::whole(87))
    );
    let called = a
        .deliver(
            at(3),
            &contract("105C", day()),
            -1,
            (&underlying(), &[]),
            "assigned".into(),
        )
        .unwrap();
    assert_eq!(
        (called.kind, called.amount(Book::Cash)),
        (EntryKind::Assignment, Money::whole(10_500))
    );
    assert!(a.lots().is_empty());
    // 500 on the shares, 120 for the call, 87 of dividend: all of one campaign.
    assert_eq!(
        a.totals(1),
        CampaignTotals {
            net_cash: Money::whole(707),
            realised: Money::whole(707),
            fees: Money::ZERO
        }
    );
    assert_eq!(a.violations(), Vec::<String>::new());
}

#[test]
fn an_assigned_put_becomes_shares_of_the_same_campaign_and_a_part_stays() {
    let mut a = Account::default();
    a.fill(
        &fill(4, 1, &[(-3, "100P", "2.50")], "0"),
        None,
        &underlying(),
        "sold".into(),
    );
    a.deliver(
        at(2),
        &contract("100P", day()),
        -2,
        (&underlying(), &[]),
        "assigned early".into(),
    )
    .unwrap();
    let lots: Vec<_> = a
        .lots()
        .iter()
        .map(|l| {
            (
                l.instrument.to_string().len(),
                l.quantity,
                l.price(),
                l.campaign,
            )
        })
        .collect();
    assert_eq!(
        lots,
        [(21, -1, price("2.50"), 4), (4, 200, price("100.00"), 4)]
    );
    assert_eq!(
        a.totals(4).realised,
        Money::whole(500),
        "the premium of what was assigned is earned"
    );
    assert!(
        a.deliver(
            at(3),
            &contract("100P", day()),
            -2,
            (&underlying(), &[]),
            "too many".into()
        )
        .is_none()
    );
    assert!(
        a.deliver(
            at(3),
            &contract("100P", day()),
            1,
            (&underlying(), &[]),
            "wrong side".into()
        )
        .is_none()
    );
    assert_eq!(a.violations(), Vec::<String>::new());
}

#[test]
fn nothing_is_paid_for_a_future_and_every_day_is_settled() {
    let bond = Underlying {
        kind: UnderlyingKind::Future,
        multiplier: 1_000,
        ..underlying()
    };
    let mut a = Account::default();
    a.deposit(at(0), Money::whole(5_000));
    // A put sold on it is assigned: one future at the strike.
    a.fill(
        &filled(1, 1, vec![option(-1, "110P", "0.50")]),
        None,
        &bond,
        "sold".into(),
    );
    a.deliver(
        at(2),
        &contract("110P", day()),
        -1,
        (&bond, &[]),
        "assigned".into(),
    )
    .unwrap();
    assert_eq!(
        (
            a.lots()[0].quantity,
            a.lots()[0].cost(),
            a.balance(Book::Positions)
        ),
        (1, Money::ZERO, Money::ZERO)
    );
    assert_eq!(a.lots()[0].worth(price("109.25")), Money::whole(-750));
    let day_one = a
        .settle_futures(at(3), "TEST", price("109.25"), &[], "settled".into())
        .unwrap();
    assert_eq!(
        (day_one.kind, day_one.amount(Book::Cash)),
        (EntryKind::Variation, Money::whole(-750))
    );
    assert_eq!(a.lots()[0].worth(price("109.25")), Money::ZERO);
    a.fill(
        &filled(2, 4, vec![shares(-1, "109.75")]),
        Some(1),
        &bond,
        "closed".into(),
    );
    assert!(a.lots().is_empty());
    assert_eq!(a.totals(1).realised, Money::whole(500 - 750 + 500));
    assert_eq!(a.balance(Book::Cash), Money::whole(5_000 + 500 - 750 + 500));
    assert_eq!(a.violations(), Vec::<String>::new());
}
