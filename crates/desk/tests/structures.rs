//! Names and exact outlines, against worked examples (recomputed with rational arithmetic).
#![allow(clippy::unwrap_used)]

mod common;

use common::*;
use desk::*;
use proptest::prelude::*;

#[test]
fn every_structure_of_one_expiration_is_named() {
    let table = [
        ("+1 95C", "long call"),
        ("-3 95P", "short put"),
        ("+1 95C -1 105C", "bull call vertical"),
        ("-2 95C +2 105C", "bear call vertical"),
        ("-1 95P +1 105P", "bear put vertical"),
        ("+1 95P -1 105P", "bull put vertical"),
        ("+1 100C +1 100P", "long straddle"),
        ("-1 95P -1 105C", "short strangle"),
        ("+1 95C +1 105P", "long guts"),
        ("+1 100C +2 100P", "long strip"),
        ("-2 100C -1 100P", "short strap"),
        ("+1 100C -1 100P", "synthetic long stock"),
        ("-1 100C +1 100P", "synthetic short stock"),
        ("+1 105C -1 95P", "bullish risk reversal"),
        ("-1 105C +1 95P", "bearish risk reversal"),
        ("+1 100C -2 105C", "call ratio spread 1×2"),
        ("-3 95P +2 100P", "put ratio spread 2×3"),
        ("-1 100C +2 105C", "call backspread 1×2"),
        ("+2 95P -1 100P", "put backspread 1×2"),
        ("+1 95C -2 100C +1 105C", "long call butterfly"),
        ("-1 95P +2 100P -1 105P", "short put butterfly"),
        ("+1 95C -2 100C +1 110C", "long broken-wing call butterfly"),
        ("+1 95C -1 100C -1 105C +1 110C", "long call condor"),
        ("-1 95P +1 100P +1 105P -1 115P", "short broken-wing put condor"),
        ("+1 95C -1 100C -1 105C", "call ladder"),
        ("-1 95P -1 100P +1 105P", "put ladder"),
        ("-1 95C +1 100C +1 105C", "short call ladder"),
        ("+1 95C -3 105C +2 110C", "long call Christmas tree"),
        ("-1 95P +3 100P -2 110P", "short put Christmas tree"),
        ("+1 90P -1 95P -1 105C +1 110C", "iron condor"),
        ("+1 90P -1 95P -1 105C +1 115C", "unbalanced iron condor"),
        ("-1 90P +1 95P +1 105C -1 110C", "reverse iron condor"),
        ("+1 95P -1 100P -1 100C +1 105C", "iron butterfly"),
        ("+1 95P -1 100P -1 100C +1 110C", "broken-wing iron butterfly"),
        ("+1 95C -1 105C -1 95P +1 105P", "long box"),
        ("-1 95C +1 105C +1 95P -1 105P", "short box"),
        ("-1 95P -1 105C +1 107C", "short put with bear call vertical"),
        ("-1 105C -1 95P +1 90P", "short call with bull put vertical"),
        ("+2 95C -1 100C", "custom"),
        ("+1 95C +1 100C", "custom"),
        ("+1 90P -1 95P -1 105C +2 110C", "custom"),
    ];
    for (legs, want) in table {
        assert_eq!(recognise(&structure(legs)).text, want, "{legs}");
        assert_eq!(recognise(&structure(legs).times(7)).text, want, "seven times {legs}");
    }
    let (near, far) = (day(), jiff::civil::date(2031, 5, 16));
    let two = |a: &str, b: &str| Structure::new(on(a, near).legs().iter().chain(on(b, far).legs()).cloned()).unwrap();
    assert_eq!(recognise(&two("-1 100C", "+1 100C")).text, "long call calendar");
    assert_eq!(recognise(&two("+1 100P", "-1 95P")).text, "short put diagonal");
    assert_eq!(recognise(&structure("+1 90P -1 95P -1 105C +1 110C")).nature, Nature::Credit);
}

/// (legs at entry prices, net, most, least, break-evens); "∞" means no limit.
#[test]
fn outlines_match_the_worked_examples() {
    let table = [
        ("-1 95P @1.60, +1 90P @0.70", "90.00", "90.00", "-410.00", "94.10"),
        ("+1 90P @0.60, -1 95P @1.60, -1 105C @1.70, +1 110C @0.70", "200.00", "200.00", "-300.00", "93.00 107.00"),
        ("+1 95P @1.5, -1 100P @3.2, -1 100C @3.4, +1 105C @1.6", "350.00", "350.00", "-150.00", "96.50 103.50"),
        ("+1 95C @6.6, -2 100C @3.4, +1 105C @1.6", "-140.00", "360.00", "-140.00", "96.40 103.60"),
        ("+1 95C @6.6, -2 100C @3.6, +1 110C @0.5", "10.00", "510.00", "-490.00", "105.10"),
        ("+1 95C @6.6, -2 100C @3.6, +1 110C @0.6", "0.00", "500.00", "-500.00", "0.00..95.00 105.00"),
        ("+1 100C @3.4, -2 105C @1.6", "-20.00", "480.00", "∞", "100.20 109.80"),
        ("-1 100C @3.2, +2 105C @1.6", "0.00", "∞", "-500.00", "0.00..100.00 110.00"),
        ("-1 95P @1.6, -1 105C @1.7, +1 107C @1.1", "220.00", "220.00", "-9280.00", "92.80"),
        ("-1 95P @1.6, +1 105C @1.7", "-10.00", "∞", "-9510.00", "105.10"),
        ("+1 95C @6.6, -3 105C @1.7, +2 110C @0.7", "-290.00", "710.00", "-290.00", "97.90 108.55"),
        ("+2 95C @6.6, -1 100C @3.4", "-980.00", "∞", "-980.00", "99.90"),
        ("+1 95C @6.6, +1 105P @6.4", "-1300.00", "∞", "-300.00", "92.00 108.00"),
        ("+1 100C @2.0, -1 105C @2.0", "0.00", "500.00", "0.00", "0.00..100.00"),
    ];
    for (legs, net, most, least, evens) in table {
        let (s, cash) = priced(legs);
        let shape = Shape::of(&s, 100, cash);
        let extent = |e: Extent| if let Extent::Limited { profit, .. } = e { profit.to_string() } else { "∞".into() };
        let even = |e: &Even| match e {
            Even::Point(p) => p.to_string(),
            Even::Range(a, Some(b)) => format!("{a}..{b}"),
            Even::Range(a, None) => format!("{a}.."),
        };
        let got: Vec<String> = shape.evens.iter().map(even).collect();
        assert_eq!(
            (cash.to_string().as_str(), extent(shape.most).as_str(), extent(shape.least).as_str(), got.join(" ").as_str()),
            (net, most, least, evens),
            "{legs}"
        );
    }
}

fn any_structure() -> impl Strategy<Value = (Structure, Money)> {
    let leg = (60..140_i64, any::<bool>(), prop_oneof![-5..0_i64, 1..6_i64]);
    (prop::collection::vec(leg, 1..5), -200_000..200_000_i64).prop_filter_map("legs cancelled", |(legs, cents)| {
        let legs =
            legs.into_iter().map(|(k, call, quantity)| Leg { quantity, contract: contract(&format!("{k}{}", if call { "C" } else { "P" }), day()) });
        Some((Structure::new(legs).ok()?, Money::from_raw(cents * 100)))
    })
}

proptest! {
    #[test]
    fn the_outline_is_the_sum_of_its_legs_and_turning_over_mirrors_it((s, net) in any_structure(), at in 0..300_i64) {
        let shape = Shape::of(&s, 100, net);
        let payoff: f64 = s.legs().iter().map(|l| l.contract.kind.intrinsic(at as f64, l.contract.strike.to_f64()) * (l.quantity * 100) as f64).sum();
        prop_assert!((shape.profit_at(at as f64) - payoff - net.to_f64()).abs() < 1e-6);
        let turned = Shape::of(&s.turned(), 100, -net);
        prop_assert_eq!(&turned.evens, &shape.evens);
        match (&shape.least, &turned.most) {
            (Extent::Unlimited, Extent::Unlimited) => {}
            (Extent::Limited { profit: a, .. }, Extent::Limited { profit: b, .. }) => prop_assert_eq!(*a, -*b),
            other => prop_assert!(false, "{other:?}"),
        }
        if let Extent::Limited { profit, places } = &shape.least {
            let here = shape.profit_at(at as f64);
            prop_assert!(here >= profit.to_f64() - 1e-6);
            let named = places.iter().any(|(a, b)| at as f64 >= a.to_f64() && b.is_none_or(|b| at as f64 <= b.to_f64()));
            prop_assert_eq!(named, (here - profit.to_f64()).abs() < 1e-6, "every place of the worst is named, and no other");
        }
        for e in &shape.evens {
            let (Even::Point(p) | Even::Range(p, _)) = e;
            prop_assert!(shape.profit_at(p.to_f64()).abs() < 1e-4, "{p}");
        }
    }

    #[test]
    fn leg_prices_always_sum_to_the_net((s, _) in any_structure(), net in -500..500_i64, mids in prop::collection::vec(0..4000_i64, 4)) {
        let unit = s.unit();
        let mids: Vec<Price> = mids.iter().take(unit.legs().len()).map(|m| Price::from_raw(m * 500_000)).collect();
        let prices = leg_prices(&unit, &mids, Price::cents(net));
        let sum: Price = unit.legs().iter().zip(&prices).map(|(l, p)| *p * l.quantity).sum();
        prop_assert_eq!(sum, Price::cents(net));
    }

    #[test]
    fn a_package_quotes_inside_its_legs_and_mirrors((s, _) in any_structure(), bids in prop::collection::vec(0..800_i64, 4), widths in prop::collection::vec(1..40_i64, 4)) {
        let unit = s.unit();
        let quotes: Vec<Quote> = (0..unit.legs().len()).map(|i| Quote { bid: Price::cents(bids[i]), ask: Price::cents(bids[i] + widths[i]), bid_size: 9, ask_size: 9, volume: 0, open_interest: 0 }).collect();
        let ticks = TickTable::single(Price::cents(1));
        let q = package_quote(&unit, &quotes, &ticks);
        let back = package_quote(&unit.turned(), &quotes, &ticks);
        prop_assert!(q.rest < q.cross && q.rest <= q.middle && q.middle <= q.cross);
        prop_assert_eq!((q.rest, q.cross), (-back.cross, -back.rest));
        let worst: Price = unit.legs().iter().zip(&quotes).map(|(l, q)| if l.quantity > 0 { q.ask } else { q.bid } * l.quantity).sum();
        prop_assert!(q.cross <= worst);
    }
}
