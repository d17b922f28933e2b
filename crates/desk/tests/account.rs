//! Lots, journal and reconciliation, in traders' words.
#![allow(clippy::unwrap_used)]

mod common;

use common::*;
use desk::*;
use proptest::prelude::*;

fn at(minute: i64) -> Moment {
    Moment::at(day(), 10, 0).plus_millis(minute * 60_000)
}

fn fill(order: u64, minute: i64, legs: &[(i64, &str, &str)], fees: &str) -> Fill {
    let legs = legs.iter().map(|(quantity, c, p)| FillLeg { contract: contract(c, day()), quantity: *quantity, price: price(p) });
    Fill { order, at: at(minute), packages: 1, price: Price::ZERO, legs: legs.collect(), fees: fees.parse().unwrap() }
}

#[test]
fn first_in_first_out_through_zero() {
    // Worked example: +2 @3.00, +1 @3.50, −2 @4.00 books 200; −3 @4.20 books 70 and leaves −2 @4.20.
    let mut a = Account::default();
    a.deposit(at(0), Money::whole(10_000));
    a.fill(&fill(1, 1, &[(2, "100C", "3.00")], "1.30"), None, 100, "bought".into());
    a.fill(&fill(2, 2, &[(1, "100C", "3.50")], "0.65"), None, 100, "bought".into());
    a.fill(&fill(3, 3, &[(-2, "100C", "4.00")], "1.30"), None, 100, "sold".into());
    assert_eq!(a.balance(Book::Realised), Money::whole(-200));
    a.fill(&fill(4, 4, &[(-3, "100C", "4.20")], "1.95"), None, 100, "sold".into());
    assert_eq!(a.balance(Book::Realised), Money::whole(-270));
    assert_eq!(a.lots().iter().map(|l| (l.quantity, l.price, l.campaign)).collect::<Vec<_>>(), [(-2, price("4.20"), 4)]);
    assert_eq!(a.violations(), Vec::<String>::new());
    assert_eq!(a.balance(Book::Cash).to_string(), "11104.80");
}

#[test]
fn a_condor_closed_by_halves_books_its_result_and_gives_everything_back() {
    let condor = [(2, "90P", "0.60"), (-2, "95P", "1.60"), (-2, "105C", "1.70"), (2, "110C", "0.70")];
    let mut a = Account::default();
    a.deposit(at(0), Money::whole(5_000));
    a.fill(&fill(1, 1, &condor, "5.20"), None, 100, "opened".into());
    assert_eq!(a.balance(Book::Cash).to_string(), "5394.80");
    let half = [(-1, "90P", "0.20"), (1, "95P", "0.70"), (1, "105C", "0.80"), (-1, "110C", "0.30")];
    a.fill(&fill(2, 2, &half, "2.60"), Some(1), 100, "half".into());
    assert_eq!(a.campaign(1).realised.to_string(), "100.00");
    assert_eq!(a.held(&contract("95P", day())), -1);
    a.fill(&fill(3, 3, &half, "2.60"), Some(1), 100, "rest".into());
    assert!(a.lots().is_empty());
    assert_eq!(a.campaign(1), CampaignTotals { net_cash: Money::whole(200), realised: Money::whole(200), fees: "10.40".parse().unwrap() });
    assert_eq!(a.balance(Book::Cash).to_string(), "5189.60");
    assert_eq!(a.violations(), Vec::<String>::new());
}

#[test]
fn an_order_sent_from_one_campaign_closes_its_own_lots_first() {
    let mut a = Account::default();
    a.fill(&fill(1, 1, &[(1, "100C", "3.00")], "0"), None, 100, "old".into());
    a.fill(&fill(2, 2, &[(1, "100C", "5.00")], "0"), None, 100, "new".into());
    a.fill(&fill(3, 3, &[(-1, "100C", "4.00")], "0"), Some(2), 100, "closed the new one".into());
    assert_eq!((a.campaign(1).realised, a.campaign(2).realised), (Money::ZERO, Money::whole(-100)));
    assert_eq!(a.lots()[0].campaign, 1);
    let settled = a.settle(at(9), &contract("100C", day()), price("2.50"), 100, "settled".into()).unwrap();
    assert_eq!(settled.amount(Book::Cash), Money::whole(250));
    assert_eq!(a.campaign(1).realised, Money::whole(-50));
    assert_eq!(a.violations(), Vec::<String>::new());
}

proptest! {
    #[test]
    fn cash_plus_positions_reconcile_after_any_sequence(trades in prop::collection::vec((0..3_usize, -5..6_i64, 1..800_i64, prop::option::of(1..6_u64)), 1..40)) {
        let names = ["95P", "100C", "105C"];
        let mut a = Account::default();
        a.deposit(at(0), Money::whole(50_000));
        let mut expected = 5_000_000_i64;
        for (i, (which, quantity, cents, closes)) in trades.into_iter().enumerate() {
            if quantity == 0 { continue; }
            let text = Price::cents(cents).to_string();
            let f = fill(i as u64 + 1, i as i64, &[(quantity, names[which], &text)], "0.65");
            a.fill(&f, closes, 100, "trade".into());
            expected -= quantity * cents * 100 + 65;
            prop_assert_eq!(a.violations(), Vec::<String>::new());
        }
        prop_assert_eq!(a.balance(Book::Cash), Money::from_raw(expected * 100));
        // Realised − fees + cost of what is open = change of cash, turned around.
        let total: Money = [Book::Cash, Book::Positions, Book::Realised, Book::Fees, Book::Capital].map(|b| a.balance(b)).into_iter().sum();
        prop_assert_eq!(total, Money::ZERO);
    }
}
