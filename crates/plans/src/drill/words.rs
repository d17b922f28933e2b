//! A drill read back as plain sentences, in the order of its questions.

use jiff::civil::Date;
use quant::Kind;

use super::{
    Adjust, Deed, Drill, DrillCondition, DrillEvent, DrillKind, DrillLeg, Every, LegIn, LookTimes,
    PressedSide, Size, StrikeAt,
};
use desk::rules::{Measure, Side};
use desk::short_date;
use desk::{Decimal, Price};

fn listed(all: &[String], last: &str) -> String {
    match all {
        [] => String::new(),
        [one] => one.clone(),
        [first @ .., end] => format!("{} {last} {end}", first.join(", ")),
    }
}

fn day(d: Date) -> String {
    format!("{} {}", short_date(d), d.year())
}

fn times(n: i64, one: &str, many: &str) -> String {
    if n == 1 {
        format!("1 {one}")
    } else {
        format!("{n} {many}")
    }
}

fn signed(raw: i64, size: &str, above: &str, below: &str, at: &str) -> String {
    match raw {
        0 => at.to_owned(),
        n if n > 0 => format!("{size} {above}"),
        _ => format!("{size} {below}"),
    }
}

fn strike(at: &StrikeAt) -> String {
    let (above, below, there) = ("above the price", "below the price", "at the price");
    let size = |raw: i64| Decimal::from_raw(raw.abs()).to_string();
    match at {
        StrikeAt::Points(p) => signed(p.raw(), &size(p.raw()), above, below, there),
        StrikeAt::Percent(d) => signed(
            d.raw(),
            &format!("{} %", size(d.raw())),
            above,
            below,
            there,
        ),
        StrikeAt::Sigma(d) => signed(
            d.raw(),
            &format!("{} σ", size(d.raw())),
            above,
            below,
            there,
        ),
        StrikeAt::Delta(d) => format!("with a delta of {d}"),
        StrikeAt::Leg { leg, points } => signed(
            points.raw(),
            &size(points.raw()),
            &format!("above leg {leg}"),
            &format!("below leg {leg}"),
            &format!("at the strike of leg {leg}"),
        ),
    }
}

fn leg(l: &DrillLeg) -> String {
    let deed = if l.quantity > 0 { "buy" } else { "sell" };
    let n = l.quantity.abs();
    match &l.what {
        LegIn::Underlying => format!("{deed} {n} of the underlying"),
        LegIn::Option {
            kind,
            strike: at,
            later,
        } => {
            let (one, many) = match kind {
                Kind::Call => ("call", "calls"),
                Kind::Put => ("put", "puts"),
            };
            let later = later.map_or_else(String::new, |d| {
                format!(", at least {} later", times(d, "day", "days"))
            });
            format!("{deed} {} {}{later}", times(n, one, many), strike(at))
        }
    }
}

fn kind(k: DrillKind) -> &'static str {
    match k {
        DrillKind::Monthly => "monthly",
        DrillKind::Weekly => "weekly",
        DrillKind::Any => "listed",
    }
}

fn side(s: Side) -> &'static str {
    match s {
        Side::Above => "at or above",
        Side::Below => "at or below",
    }
}

/// What holds where a condition holds, as a clause about "it", the cycle.
pub fn condition_words(c: &DrillCondition) -> String {
    let all = |list: &[DrillCondition], last: &str| {
        let each: Vec<String> = list.iter().map(condition_words).collect();
        listed(&each, last)
    };
    match c {
        DrillCondition::Rule(c) if c.measure == Measure::Price => {
            format!("the price is {} {}", side(c.side), c.limit)
        }
        DrillCondition::Rule(c) if c.measure == Measure::Rank => {
            format!("the volatility rank is {} {}", side(c.side), c.limit)
        }
        DrillCondition::Rule(c) if c.measure == Measure::Vol => {
            format!("implied volatility is {} {} %", side(c.side), c.limit)
        }
        DrillCondition::Rule(c) => format!("it {}", c.measure.predicate(c.side, c.limit)),
        DrillCondition::OfStake { loss, percent } => {
            let deed = if *loss { "lost" } else { "made" };
            format!("it has {deed} {percent} % of the stake or more")
        }
        DrillCondition::PriceAtLeg {
            side: s,
            leg,
            points,
        } => {
            let size = points.abs();
            let from = match points.cmp(&Price::ZERO) {
                std::cmp::Ordering::Equal => format!("the strike of leg {leg}"),
                std::cmp::Ordering::Greater => format!("{size} above the strike of leg {leg}"),
                std::cmp::Ordering::Less => format!("{size} below the strike of leg {leg}"),
            };
            format!("the price is {} {from}", side(*s))
        }
        DrillCondition::LegDelta { leg, at_or_above } => {
            format!("leg {leg} has a delta of {at_or_above} or more")
        }
        DrillCondition::Event { kind, sessions } => {
            let what = match kind {
                DrillEvent::Earnings => "earnings are",
                DrillEvent::Decision => "a decision is",
                DrillEvent::ExDividend => "an ex-date is",
            };
            match sessions {
                0 => format!("{what} today"),
                n => format!("{what} at most {} ahead", times(*n, "session", "sessions")),
            }
        }
        DrillCondition::And(list) => all(list, "and"),
        DrillCondition::Or(list) => format!("either {}", all(list, "or")),
        DrillCondition::Not(one) => format!("it is not so that {}", condition_words(one)),
    }
}

/// One adjustment as a sentence; it is rolled into an expiration of that kind.
fn adjust_words(a: &Adjust, of: DrillKind) -> String {
    let deed = match a.deed {
        Deed::Close => "it closes all".to_owned(),
        Deed::Rebuild => "it closes all and enters the legs anew in the same expiration".to_owned(),
        Deed::Roll(n) => format!(
            "it closes all and enters the legs anew in the first {} expiration at least {} ahead",
            kind(of),
            times(n, "day", "days")
        ),
        Deed::CloseSide(PressedSide::Pressed) => "it closes the pressed side".to_owned(),
        Deed::CloseSide(PressedSide::Quiet) => "it closes the quiet side".to_owned(),
    };
    let most = a.most.map_or_else(String::new, |n| match n {
        1 => ", once in a cycle".to_owned(),
        n => format!(", at most {n} times in a cycle"),
    });
    format!("When {} {deed}{most}.", condition_words(&a.when))
}

/// The whole drill, a sentence an entry: when it looks and at which price, when it enters and what, how
/// large, when it adjusts, when it leaves.
pub fn drill_words(d: &Drill) -> Vec<String> {
    let looks: Vec<String> = d
        .looks
        .iter()
        .map(|l| match l {
            LookTimes::Open => "at 09:45".to_owned(),
            LookTimes::Close => "at 15:45".to_owned(),
            LookTimes::Every(n) => format!(
                "every {} from 09:45 to 15:45",
                times(*n, "minute", "minutes")
            ),
        })
        .collect();
    let price = match d.price {
        p if p == Decimal::ZERO => "at the middle".to_owned(),
        p if p == Decimal::whole(1) => "at the far side of every leg".to_owned(),
        p => {
            let percent = Decimal::from_raw(p.raw() * 100);
            format!("{percent} % of the way from the middle to the far side of every leg")
        }
    };
    let fees = if d.fees { "with fees" } else { "without fees" };
    let mut out = vec![format!(
        "From {} to {} it looks at {} {}, and trades {price}, {fees}.",
        day(d.from),
        day(d.to),
        d.symbol,
        listed(&looks, "and"),
    )];
    let e = &d.enter;
    let when = match e.every {
        Every::Expiration => "Once for each".to_owned(),
        Every::Free => "Whenever no cycle is open, for a".to_owned(),
        Every::Sessions(n) => format!(
            "{} after the last entry, for a",
            times(n, "session", "sessions")
        ),
    };
    let provided: Vec<String> = e.conditions.iter().map(condition_words).collect();
    let provided = match provided.as_slice() {
        [] => String::new(),
        all => format!(", if {}", listed(all, "and")),
    };
    out.push(format!(
        "{when} {} expiration it enters at the first look with {} to {} days left{provided}.",
        kind(e.kind),
        e.least,
        e.days
    ));
    let numbered = e.legs.iter().enumerate();
    let legs: Vec<String> = numbered
        .map(|(i, l)| {
            if e.legs.len() > 1 {
                format!("({}) {}", i + 1, leg(l))
            } else {
                leg(l)
            }
        })
        .collect();
    let size = match e.size {
        Size::Times(1) => String::new(),
        Size::Times(n) => format!(", {n} times"),
        Size::PercentOfStake(x) => {
            format!(", as often as its max loss stays within {x} % of the stake")
        }
    };
    out.push(format!("Then it will {}{size}.", listed(&legs, "and")));
    if let Some(stake) = d.stake {
        out.push(format!("A cycle is measured against {}.", stake.grouped()));
    }
    for a in &d.adjust {
        out.push(adjust_words(a, e.kind));
    }
    // By the numbers that the reasons of leaving have.
    let leave = (1..).zip(&d.leave.when);
    let mut ways: Vec<String> = leave
        .map(|(n, c)| format!("({n}) when {}", condition_words(c)))
        .collect();
    if let Some(n) = d.leave.until_expirations {
        ways.push(format!(
            "as soon as the {} {} expiration has {} days left",
            match n {
                1 => "next".to_owned(),
                2 => "second next".to_owned(),
                3 => "third next".to_owned(),
                n => format!("{n}th next"),
            },
            kind(e.kind),
            e.days
        ));
    }
    ways.push("at its end".to_owned());
    // A clause may hold commas and an "or" of its own.
    out.push(format!("It leaves {}.", ways.join("; or ")));
    out
}
