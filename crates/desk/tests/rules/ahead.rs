//! What is coming of itself, at its edges and in words. When a sold call is likely to be assigned
//! before a dividend is common practice: its time value is less than the dividend.

use crate::common::*;
use desk::*;
use jiff::civil::date;

/// The morning of the last session but one before the third Friday of April.
fn at() -> Moment {
    Moment::at(date(2031, 4, 17), 10, 0)
}

fn leg(words: &str, quantity: i64, mark: &str) -> AheadLeg {
    let contract = contract(words, day());
    AheadLeg {
        ends: underlying().expiry_moment(&contract),
        contract,
        quantity,
        sessions: 2,
        mark: price(mark),
        expected_move: 3.0,
        tonight: None,
        declined: false,
    }
}

fn view<'a>(u: &'a Underlying, held: i64, legs: &[AheadLeg]) -> AheadView<'a> {
    AheadView {
        at: at(),
        underlying: u,
        spot: price("100"),
        held,
        legs: legs.to_vec(),
        dividend: None,
        cash: Money::whole(12_000),
    }
}

fn told(view: &AheadView<'_>) -> Vec<String> {
    ahead(view).iter().map(ToString::to_string).collect()
}

const WORTHLESS: &str =
    "If the price is still 100.00 on 18 Apr: all that ends there expires worthless.";

#[test]
fn a_sold_strike_within_half_a_move_is_a_toss_on_the_last_two_sessions_only() {
    let u = underlying();
    // Half the move is 1.50: at it, and a tick beyond.
    let at_it = leg("101.5C", -1, "0.40");
    assert_eq!(
        told(&view(&u, 0, std::slice::from_ref(&at_it))),
        [
            "Sold 1 × 101.5 call, 18 Apr: the price is 1.50 from the strike and moves about 3.00 \
             by its end: a toss of a coin whether it is assigned.",
            WORTHLESS,
        ]
    );
    let beyond = leg("101.51C", -1, "0.40");
    assert_eq!(told(&view(&u, 0, &[beyond])), [WORTHLESS]);
    let earlier = AheadLeg {
        sessions: 3,
        ..at_it.clone()
    };
    assert_eq!(told(&view(&u, 0, &[earlier])), [WORTHLESS]);
    let bought = AheadLeg {
        quantity: 1,
        ..at_it
    };
    assert_eq!(told(&view(&u, 0, &[bought])), [WORTHLESS]);
}

#[test]
fn a_call_is_likely_assigned_when_its_time_value_is_less_than_the_dividend() {
    let u = underlying();
    let call = |mark: &str, tonight| AheadLeg {
        sessions: 20,
        tonight,
        ..leg("90C", -2, mark)
    };
    let with = |leg: AheadLeg, ex: i8| AheadView {
        dividend: Some((date(2031, 4, ex), price("0.50"))),
        ..view(&u, 200, &[leg])
    };
    let said = "Sold 2 × 90 call, 18 Apr: its time value of 0.49 is less than the dividend of 0.50 \
                on 18 Apr: it is likely to be assigned the night before";
    let first = |v: &AheadView<'_>| told(v)[0].clone();
    assert_eq!(
        first(&with(call("10.49", Some(0.92)), 18)),
        format!("{said}, tonight with 92 %.")
    );
    assert_eq!(first(&with(call("10.49", None), 18)), format!("{said}."));
    let end = "If the price is still 100.00 on 18 Apr: 2 × 90 call assigned; no share is \
               left, 18,000.00 comes in.";
    // Equal is not less; a dividend behind its end, and a call out of the money, do not matter.
    assert_eq!(told(&with(call("10.50", None), 18)), [end]);
    assert_eq!(told(&with(call("10.49", None), 21)), [end]);
    let out = AheadLeg {
        sessions: 20,
        ..leg("101C", -2, "0.10")
    };
    assert_eq!(told(&with(out, 18)), [WORTHLESS]);
}

#[test]
fn puts_that_may_be_assigned_say_what_they_need_against_what_is_there() {
    let u = underlying();
    let put = AheadLeg {
        tonight: Some(0.25),
        ..leg("110P", -1, "10.00")
    };
    let all = ahead(&view(&u, 0, &[put]));
    let words: Vec<String> = all.iter().map(ToString::to_string).collect();
    assert_eq!(
        words,
        [
            "Sold 1 × 110 put, 18 Apr: it is worth no more than its exercise and may be assigned \
             any night, tonight with 25 %.",
            "If its sold puts are assigned, 11,000.00 is needed; 12,000.00 of cash is there.",
            "If the price is still 100.00 on 18 Apr: 1 × 110 put assigned; then 100 shares \
             are held, 11,000.00 is paid.",
        ]
    );
    // Enough is there: only the assignment itself presses.
    let pressing: Vec<bool> = all.iter().map(Ahead::presses).collect();
    assert_eq!(pressing, [true, false, false]);
    let two = leg("110P", -2, "10.00");
    assert!(
        ahead(&view(&u, 0, &[two]))[0].presses(),
        "22,000.00 is more"
    );
}

#[test]
fn what_is_bought_is_exercised_unless_its_holder_says_otherwise() {
    let u = underlying();
    let long = leg("99C", 1, "1.40");
    assert_eq!(
        told(&view(&u, 0, std::slice::from_ref(&long))),
        [
            "Bought 1 × 99 call, 18 Apr: 1.00 in the money; it is exercised at its end unless you \
             say otherwise or sell it.",
            "If the price is still 100.00 on 18 Apr: 1 × 99 call exercised; then 100 shares \
             are held, 9,900.00 is paid.",
        ]
    );
    let declined = AheadLeg {
        declined: true,
        ..long.clone()
    };
    assert_eq!(
        told(&view(&u, 0, &[declined])),
        [
            "Bought 1 × 99 call, 18 Apr: 1.00 in the money; it is left to expire, as you said.",
            WORTHLESS,
        ]
    );
    // To the cent: at the strike nothing is exercised, a cent inside it is.
    let at_strike = leg("100C", 1, "0.40");
    assert_eq!(told(&view(&u, 0, &[at_strike])), [WORTHLESS]);
    let cent = leg("99.99C", 1, "0.40");
    assert_eq!(told(&view(&u, 0, &[cent])).len(), 2);
}

/// A vertical of an index ends in cash; options on a future leave a future and no cash.
#[test]
fn the_end_is_told_by_how_it_settles() {
    let index = Underlying {
        kind: UnderlyingKind::Index,
        settlement: Settlement::Cash,
        style: Style::European,
        ..underlying()
    };
    let vertical = [leg("90P", 1, "0.05"), leg("105P", -1, "5.00")];
    assert_eq!(
        told(&view(&index, 0, &vertical)),
        ["If the price is still 100.00 on 18 Apr: 1 × 105 put settled, 500.00 is paid."]
    );
    let toss = told(&view(&index, 0, &[leg("101C", -1, "0.40")]));
    assert!(
        toss[0].ends_with("a toss of a coin whether it ends in the money."),
        "nothing is assigned of an index: {toss:?}"
    );
    let short = told(&view(&underlying(), 0, &[leg("95C", -1, "5.00")]));
    assert!(
        short[0].ends_with("then 100 shares are sold short, 9,500.00 comes in."),
        "{short:?}"
    );
    let future = Underlying {
        kind: UnderlyingKind::Future,
        last_session: Some(date(2031, 4, 24)),
        ..underlying()
    };
    assert_eq!(
        told(&view(&future, 1, &[leg("95C", -1, "5.00")])),
        [
            "If the price is still 100.00 on 18 Apr: 1 × 95 call assigned; no future is \
             left.",
            "TEST trades for the last time on 24 Apr: what is held of it ends there.",
        ]
    );
}
