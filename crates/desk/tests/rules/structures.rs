//! Names and exact outlines, against worked examples (recomputed with rational arithmetic).

use crate::common::*;
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
        (
            "-1 95P +1 100P +1 105P -1 115P",
            "short broken-wing put condor",
        ),
        ("+1 95C -1 100C -1 105C", "call ladder"),
        ("-1 95P -1 100P +1 105P", "put ladder"),
        ("-1 95C +1 100C +1 105C", "short call ladder"),
        ("+1 95C -3 105C +2 110C", "long call Christmas tree"),
        ("-1 95P +3 100P -2 110P", "short put Christmas tree"),
        ("+1 90P -1 95P -1 105C +1 110C", "iron condor"),
        ("+1 90P -1 95P -1 105C +1 115C", "unbalanced iron condor"),
        ("-1 90P +1 95P +1 105C -1 110C", "reverse iron condor"),
        ("+1 95P -1 100P -1 100C +1 105C", "iron butterfly"),
        (
            "+1 95P -1 100P -1 100C +1 110C",
            "broken-wing iron butterfly",
        ),
        ("+1 95C -1 105C -1 95P +1 105P", "long box"),
        ("-1 95C +1 105C +1 95P -1 105P", "short box"),
        (
            "-1 95P -1 105C +1 107C",
            "short put with bear call vertical",
        ),
        ("-1 105C -1 95P +1 90P", "short call with bull put vertical"),
        ("+2 95C -1 100C", "custom"),
        ("+1 95C +1 100C", "custom"),
        ("+1 90P -1 95P -1 105C +2 110C", "custom"),
    ];
    for (legs, want) in table {
        assert_eq!(
            recognise(&structure(legs), &underlying()).text,
            want,
            "{legs}"
        );
        assert_eq!(
            recognise(&structure(legs).times(7), &underlying()).text,
            want,
            "seven times {legs}"
        );
    }
    let (near, far) = (day(), jiff::civil::date(2031, 5, 16));
    let two = |a: &str, b: &str| {
        Holding::new(on(a, near).legs().iter().chain(on(b, far).legs()).cloned())
    };
    assert_eq!(
        recognise(&two("-1 100C", "+1 100C"), &underlying()).text,
        "long call calendar"
    );
    assert_eq!(
        recognise(&two("+1 100P", "-1 95P"), &underlying()).text,
        "short put diagonal"
    );
    assert_eq!(
        recognise(&structure("+1 90P -1 95P -1 105C +1 110C"), &underlying()).nature,
        Nature::Credit
    );
}

/// (legs at entry prices, net, most, least, break-evens); "∞" means no limit.
#[test]
fn outlines_match_the_worked_examples() {
    let table = [
        (
            "-1 95P @1.60, +1 90P @0.70",
            "90.00",
            "90.00",
            "-410.00",
            "94.10",
        ),
        (
            "+1 90P @0.60, -1 95P @1.60, -1 105C @1.70, +1 110C @0.70",
            "200.00",
            "200.00",
            "-300.00",
            "93.00 107.00",
        ),
        (
            "+1 95P @1.5, -1 100P @3.2, -1 100C @3.4, +1 105C @1.6",
            "350.00",
            "350.00",
            "-150.00",
            "96.50 103.50",
        ),
        (
            "+1 95C @6.6, -2 100C @3.4, +1 105C @1.6",
            "-140.00",
            "360.00",
            "-140.00",
            "96.40 103.60",
        ),
        (
            "+1 95C @6.6, -2 100C @3.6, +1 110C @0.5",
            "10.00",
            "510.00",
            "-490.00",
            "105.10",
        ),
        (
            "+1 95C @6.6, -2 100C @3.6, +1 110C @0.6",
            "0.00",
            "500.00",
            "-500.00",
            "0.00..95.00 105.00",
        ),
        (
            "+1 100C @3.4, -2 105C @1.6",
            "-20.00",
            "480.00",
            "∞",
            "100.20 109.80",
        ),
        (
            "-1 100C @3.2, +2 105C @1.6",
            "0.00",
            "∞",
            "-500.00",
            "0.00..100.00 110.00",
        ),
        (
            "-1 95P @1.6, -1 105C @1.7, +1 107C @1.1",
            "220.00",
            "220.00",
            "-9280.00",
            "92.80",
        ),
        (
            "-1 95P @1.6, +1 105C @1.7",
            "-10.00",
            "∞",
            "-9510.00",
            "105.10",
        ),
        (
            "+1 95C @6.6, -3 105C @1.7, +2 110C @0.7",
            "-290.00",
            "710.00",
            "-290.00",
            "97.90 108.55",
        ),
        (
            "+2 95C @6.6, -1 100C @3.4",
            "-980.00",
            "∞",
            "-980.00",
            "99.90",
        ),
        (
            "+1 95C @6.6, +1 105P @6.4",
            "-1300.00",
            "∞",
            "-300.00",
            "92.00 108.00",
        ),
        (
            "+1 100C @2.0, -1 105C @2.0",
            "0.00",
            "500.00",
            "0.00",
            "0.00..100.00",
        ),
    ];
    for (legs, net, most, least, evens) in table {
        let (s, cash) = priced(legs);
        let shape = Shape::of(&s, &underlying(), desk::Received::counted(cash));
        let extent = |e: Extent| {
            if let Extent::Limited { profit, .. } = e {
                profit.to_string()
            } else {
                "∞".into()
            }
        };
        let even = |e: &Even| match e {
            Even::Point(p) => p.to_string(),
            Even::Range(a, Some(b)) => format!("{a}..{b}"),
            Even::Range(a, None) => format!("{a}.."),
        };
        let got: Vec<String> = shape.evens.iter().map(even).collect();
        assert_eq!(
            (
                cash.to_string().as_str(),
                extent(shape.most).as_str(),
                extent(shape.least).as_str(),
                got.join(" ").as_str()
            ),
            (net, most, least, evens),
            "{legs}"
        );
    }
}

fn any_structure() -> impl Strategy<Value = (Holding, Money)> {
    let leg = (60..140_i64, any::<bool>(), prop_oneof![-5..0_i64, 1..6_i64]);
    let shares = prop_oneof![Just(0), -300..300_i64, Just(100), Just(-200)];
    (
        prop::collection::vec(leg, 1..5),
        -200_000..200_000_i64,
        shares,
    )
        .prop_filter_map("legs cancelled", |(legs, cents, shares)| {
            let legs = legs.into_iter().map(|(k, call, quantity)| {
                Leg::option(
                    contract(&format!("{k}{}", if call { "C" } else { "P" }), day()),
                    quantity,
                )
            });
            let own = (shares != 0).then(|| Leg {
                instrument: Instrument::Underlying("TEST".into()),
                quantity: shares,
            });
            Some((Holding::new(legs.chain(own)), Money::from_raw(cents * 100)))
        })
}

proptest! {
    #[test]
    fn the_outline_is_the_sum_of_its_legs_and_turning_over_mirrors_it(
        (s, net) in any_structure(),
        at in 0..300_i64,
    ) {
        let shape = Shape::of(&s, &underlying(), desk::Received::counted(net));
        let payoff: f64 = s
            .options()
            .map(|(c, n)| c.kind.intrinsic(at as f64, c.strike.to_f64()) * (n * 100) as f64)
            .sum();
        let payoff = payoff + (s.underlying_quantity() * at) as f64;
        prop_assert!((shape.profit_at(at as f64) - payoff - net.to_f64()).abs() < 1e-6);
        let turned = Shape::of(&s.reversed(), &underlying(), desk::Received::counted(-net));
        prop_assert_eq!(&turned.evens, &shape.evens);
        match (&shape.least, &turned.most) {
            (Extent::Unlimited, Extent::Unlimited) => {}
            (Extent::Limited { profit: a, .. }, Extent::Limited { profit: b, .. }) => {
                prop_assert_eq!(*a, -*b)
            }
            other => prop_assert!(false, "{other:?}"),
        }
        if let Extent::Limited { profit, places } = &shape.least {
            let here = shape.profit_at(at as f64);
            prop_assert!(here >= profit.to_f64() - 1e-6);
            let named = places
                .iter()
                .any(|(a, b)| at as f64 >= a.to_f64() && b.is_none_or(|b| at as f64 <= b.to_f64()));
            prop_assert_eq!(
                named,
                (here - profit.to_f64()).abs() < 1e-6,
                "every place of the \
                    worst is named, and no other"
            );
        }
        for e in &shape.evens {
            let (Even::Point(p) | Even::Range(p, _)) = e;
            prop_assert!(shape.profit_at(p.to_f64()).abs() < 1e-4, "{p}");
        }
    }

    #[test]
    fn leg_prices_sum_to_the_net_inside_their_own_markets(
        (s, _) in any_structure(),
        share in prop_oneof![-120..=120_i64, -500..=500_i64],
        bids in prop::collection::vec(prop_oneof![0..4_i64, 0..4000_i64], 6),
        widths in prop::collection::vec(1..60_i64, 6),
    ) {
        let (unit, u) = (s.unit(), underlying());
        let half_cents = |n: i64| Price::from_raw(n * 500_000);
        let quotes: Vec<Quote> = (0..unit.legs().len())
            .map(|i| Quote {
                bid: half_cents(bids[i]),
                ask: half_cents(bids[i] + widths[i]),
                ..quote("1", "2")
            })
            .collect();
        let side = |bought: fn(&Quote) -> Price, sold: fn(&Quote) -> Price| -> i128 {
            let each = u.weights(&unit).into_iter().zip(&quotes);
            each.map(|(w, q)| {
                i128::from(w) * i128::from((if w > 0 { bought(q) } else { sold(q) }).raw())
            })
            .sum()
        };
        // From all legs at their near sides to all at their far ones, and a little beyond, in
        // hundredths of a cent.
        let (near, far) = (side(|q| q.bid, |q| q.ask), side(|q| q.ask, |q| q.bid));
        let units = i128::from(u.price_units(&unit));
        let wanted = (near + far) / 2 + (far - near) * i128::from(share) / 200;
        let net = Price::from_raw((wanted / units / 10_000 * 10_000) as i64);
        // Nobody pays to sell, nor is paid to buy: of what is only sold the price is below zero, by
        // a cent at least.
        let weights = u.weights(&unit);
        let one_sided = weights.iter().all(|w| w.signum() == weights[0].signum());
        let side = i64::from(net > Price::ZERO) - i64::from(net < Price::ZERO);
        prop_assume!(!one_sided || (side == weights[0].signum() && net.abs() >= Price::cents(1)));
        let prices = leg_prices(&unit, &quotes, net, &u);
        let sum: i128 = u
            .weights(&unit)
            .iter()
            .zip(&prices)
            .map(|(w, p)| i128::from(p.raw()) * i128::from(*w))
            .sum();
        prop_assert_eq!(sum, i128::from(net.raw()) * units);
        // The money of each leg is exact: no rounding makes the package cost something else.
        for (p, w) in prices.iter().zip(u.weights(&unit)) {
            prop_assert_eq!(i128::from(p.raw()) * i128::from(w) % 10_000, 0, "{} times {}", p, w);
        }
        let inside = (near..=far).contains(&sum);
        for (p, q) in prices.iter().zip(&quotes) {
            prop_assert!(*p >= Price::ZERO, "{p} is below zero");
            prop_assert!(
                !inside || (q.bid..=q.ask).contains(p),
                "{p} outside of {} to {}",
                q.bid,
                q.ask
            );
        }
    }

    #[test]
    fn a_package_quotes_inside_its_legs_and_mirrors(
        (s, _) in any_structure(),
        bids in prop::collection::vec(0..800_i64, 6),
        widths in prop::collection::vec(1..40_i64, 6),
    ) {
        let unit = s.unit();
        let quotes: Vec<Quote> = (0..unit.legs().len())
            .map(|i| Quote {
                bid: Price::cents(bids[i]),
                ask: Price::cents(bids[i] + widths[i]),
                bid_size: Some(9),
                ask_size: Some(9),
                volume: Some(0),
                open_interest: Some(0),
            })
            .collect();
        let u = Underlying {
            ticks: TickTable::single(Price::cents(1)),
            ..underlying()
        };
        let q = package_quote(&unit, &quotes, &u);
        let back = package_quote(&unit.reversed(), &quotes, &u);
        prop_assert!(q.rest < q.cross && q.rest <= q.middle && q.middle <= q.cross);
        prop_assert_eq!((q.rest, q.cross), (-back.cross, -back.rest));
        let worst = unit.legs().iter().zip(&quotes).map(|(l, q)| {
            (
                if l.quantity > 0 { q.ask } else { q.bid },
                l.quantity * u.units(&l.instrument),
            )
        });
        let worst = Price::weighed(worst, u.price_units(&unit));
        // On the tick at least: shares count by hundredths.
        prop_assert!(
            q.cross <= u.ticks_of(&unit).ceil(worst).max(q.rest + q.tick),
            "{q:?} {worst}"
        );
    }
}

/// Names with shares against options (common practice), and what the exact outline says of them.
#[test]
fn shares_and_options_together_have_names_and_exact_outlines() {
    let table = [
        (100, "-1 105C", "covered call"),
        (200, "-1 105C", "covered call on part of the shares"),
        (100, "+1 95P", "protective put"),
        (150, "+1 95P", "protective put on part of the shares"),
        (100, "+1 95P -1 105C", "collar"),
        (100, "+1 100P -1 100C", "conversion"),
        (-100, "-1 100P +1 100C", "reversal"),
        (100, "-1 95P -1 105C", "covered strangle"),
        (200, "-2 100P -2 100C", "covered straddle"),
        (-100, "-1 95P", "covered put"),
        (-100, "+1 105C", "protective call"),
        (100, "-2 105C", "custom"),
    ];
    for (held, options, want) in table {
        let own = Leg {
            instrument: Instrument::Underlying("TEST".into()),
            quantity: held,
        };
        let s = Holding::new(structure(options).legs().iter().cloned().chain([own]));
        assert_eq!(recognise(&s, &underlying()).text, want, "{held} {options}");
    }
    let own = |quantity| Leg {
        instrument: Instrument::Underlying("TEST".into()),
        quantity,
    };
    let alone = Holding::new([own(300)]);
    assert_eq!(
        (
            recognise(&alone, &underlying()).text.as_str(),
            alone.packages(),
            underlying().price_units(&alone)
        ),
        ("long shares", 300, 1)
    );
    // Bought at 100, a 105 call sold at 1.20: even at 98.80, most 620 from 105 on, all but the
    // premium lost at zero.
    let covered = Holding::new([own(100), Leg::option(contract("105C", day()), -1)]);
    let shape = Shape::of(
        &covered,
        &underlying(),
        desk::Received::counted(Money::whole(-9_880)),
    );
    assert_eq!(shape.evens, [Even::Point(price("98.80"))]);
    assert_eq!(
        shape.most,
        Extent::Limited {
            profit: Money::whole(620),
            places: vec![(price("105"), None)]
        }
    );
    assert_eq!(
        shape.least,
        Extent::Limited {
            profit: Money::whole(-9_880),
            places: vec![(Price::ZERO, Some(Price::ZERO))]
        }
    );
    // Quoted by the unit of the option: the shares less the call.
    let quotes = [quote("1.15", "1.25"), quote("99.99", "100.01")];
    let q = package_quote(&covered, &quotes, &underlying());
    assert_eq!(
        (q.rest, q.middle, q.cross),
        (price("98.76"), price("98.80"), price("98.84"))
    );
}

/// Middles of .05, .60, .70 and .08: sold for more than the middle, no wing is filled below zero.
#[test]
fn a_condor_sold_dear_fills_no_wing_below_zero() {
    let u = underlying();
    let condor = structure("+1 90P -1 95P -1 105C +1 110C");
    let quotes = [
        quote("0.00", "0.10"),
        quote("0.55", "0.65"),
        quote("0.65", "0.75"),
        quote("0.03", "0.13"),
    ];
    let prices = leg_prices(&condor, &quotes, price("-1.25"), &u);
    assert_eq!(
        prices,
        [price("0.03"), price("0.62"), price("0.72"), price("0.06")]
    );
}

/// What is held is never refused; what may be sent has limits.
#[test]
fn a_holding_takes_anything_and_a_package_does_not() {
    let nine: Vec<Leg> = (0..9)
        .map(|i| Leg::option(contract(&format!("{}C", 90 + i), day()), 1 + i))
        .collect();
    let held = Holding::new(nine.clone());
    assert_eq!(held.legs().len(), 9);
    assert_eq!(Package::of(&held), Err(PackageError::TooManyLegs(9)));
    assert!(Package::new(nine[..8].to_vec()).is_ok());
    // 400 times one against three is 1,200 of a leg: four hundred packages.
    let ratio = structure("+400 95P -1200 90P");
    let (package, times) = Package::of(&ratio).unwrap();
    assert_eq!(
        (package.holding(), times),
        (&structure("+1 95P -3 90P"), 400)
    );
    assert_eq!(
        recognise(&ratio, &underlying()).text,
        "put ratio spread 1×3"
    );
    assert_eq!(
        Package::new(structure("+2 95P -6 90P").legs().to_vec()),
        Err(PackageError::NotLowest(2))
    );
    assert!(matches!(
        Package::new([Leg::option(contract("95P", day()), 0)]),
        Err(PackageError::Quantity { quantity: 0, .. })
    ));
    assert_eq!(Package::of(&Holding::default()), Err(PackageError::Empty));
}

#[test]
fn two_expirations_are_named() {
    let (near, far) = (day(), jiff::civil::date(2031, 5, 16));
    for (at_near, at_far, name) in [
        ("-1 100C", "+1 100C", "long call calendar"),
        ("+2 95P", "-2 95P", "short put calendar"),
        ("-1 105C", "+1 95C", "long call diagonal"),
        ("-1 100P -1 105C", "+1 100P +1 105C", "long double calendar"),
        ("-1 95P -1 105C", "+1 90P +1 110C", "long double diagonal"),
        ("+1 95P +1 105C", "-1 90P -1 110C", "short double diagonal"),
        ("-1 95P +1 105C", "+1 95P -1 105C", "custom"),
        ("-1 100C", "+2 100C", "custom"),
    ] {
        let s = Holding::new(
            on(at_near, near)
                .legs()
                .iter()
                .chain(on(at_far, far).legs())
                .cloned(),
        );
        assert_eq!(
            recognise(&s, &underlying()).text,
            name,
            "{at_near} {at_far}"
        );
    }
}

/// Sold for less than both bids (a market order that walks), the dearer leg gives way: a leg that
/// is bid for at nothing cannot fall below it.
#[test]
fn a_sold_leg_never_falls_below_zero() {
    let u = underlying();
    let strangle = structure("-1 90P -1 110C");
    let quotes = [quote("2.60", "2.70"), quote("0.00", "0.05")];
    let prices = leg_prices(&strangle, &quotes, price("-2.58"), &u);
    assert_eq!(prices, [price("2.58"), Price::ZERO]);
}

/// One press of − at the bench takes away one option, one future, or as many shares as one option stands for.
#[test]
fn one_press_is_one_contract_or_a_lot_of_shares() {
    let shares = underlying();
    let future = Underlying {
        kind: UnderlyingKind::Future,
        multiplier: 1_000,
        ..underlying()
    };
    let itself = Instrument::Underlying("TEST".into());
    let call = Instrument::Option(contract("100C", day()));
    assert_eq!((shares.step(&itself), shares.step(&call)), (100, 1));
    assert_eq!((future.step(&itself), future.step(&call)), (1, 1));
}
