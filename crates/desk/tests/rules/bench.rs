//! The bench says what the evaluation says where both speak, and moves the way the trade knows.

use crate::common::*;
use desk::*;

fn asked(s: &Holding, price: Price) -> Judgement {
    Judgement {
        structure: s.clone(),
        price,
        realised: Money::ZERO,
        moved: Moved::default(),
        days: vec![0.0],
        span: Span::Between(80.0, 125.0),
        map: false,
        greeks: None,
        grid: None,
        chances: None,
    }
}

fn points(by: f64) -> Moved {
    Moved {
        everywhere: Shift::Points(by),
        ..Moved::default()
    }
}

fn wanted(law: Law) -> ChancesAsked {
    ChancesAsked {
        law,
        between: Some((90.0, 110.0)),
        target: None,
        stop: None,
    }
}

#[test]
fn unmoved_and_today_it_is_the_evaluation() {
    let m = market(&underlying(), &[("3.40", "3.50"), ("3.30", "3.40")]);
    let s = structure("+1 100P +1 100C");
    let p = Proposal {
        structure: s.clone(),
        entry: EntryPrice::Middle,
        range: Some((80.0, 125.0)),
        realised: Money::ZERO,
        closing: false,
    };
    let e = evaluate(&p, &m, &AccountView::default()).unwrap();
    let plain = asked(&s, e.price);
    let b = bench(
        &Judgement {
            days: vec![0.0, 19.0, 60.0],
            map: true,
            greeks: Some((Along::Price, vec![0.0, 30.0])),
            grid: Some((Steps::Matter, vec![0.0, 19.0, 60.0])),
            chances: Some(wanted(Law::Flat)),
            ..plain.clone()
        },
        &m,
    )
    .unwrap();
    for price in [82.0, 93.3, 100.0, 104.0, 121.0] {
        let near =
            |a: f64, b: f64, within: f64| assert!((a - b).abs() < within, "{price}: {a} {b}");
        near(
            at(&b.prices, &b.outline, price),
            at(&e.curves.prices, &e.curves.outline, price),
            25.0,
        );
        near(
            at(&b.prices, &b.lines[0].profit, price),
            at(&e.curves.prices, &e.curves.today, price),
            2.0,
        );
        // A minute before its end a draft is worth what it is at its end.
        near(
            at(&b.prices, &b.lines[2].profit, price),
            at(&b.prices, &b.outline, price),
            12.0,
        );
    }
    assert!(b.prices.contains(&100.0), "the corner is drawn");
    let middle = |b: &Bench, line: usize| at(&b.prices, &b.lines[line].profit, 100.0);
    assert!(
        middle(&b, 0) > middle(&b, 1) && middle(&b, 1) > middle(&b, 2),
        "a bought straddle loses by waiting"
    );
    let moved = |by| {
        bench(
            &Judgement {
                moved: points(by),
                ..plain.clone()
            },
            &m,
        )
        .unwrap()
    };
    // Ten points of volatility are worth ten times its vega, near enough.
    assert!(
        ((middle(&moved(0.05), 0) - middle(&moved(-0.05), 0)) / 10.0 / e.greeks.vega - 1.0).abs()
            < 0.02
    );
    // A fifth of 25 % is five points.
    let factor = bench(
        &Judgement {
            moved: Moved {
                everywhere: Shift::Factor(1.2),
                ..Moved::default()
            },
            ..plain.clone()
        },
        &m,
    )
    .unwrap();
    assert!((middle(&factor, 0) - middle(&moved(0.05), 0)).abs() < 1e-6);
    // Each line is even where it says, and the lines close in on the break-evens of the end.
    for (line, l) in b.lines.iter().enumerate() {
        assert_eq!(l.evens.len(), 2, "line {line}");
        assert!(
            l.evens
                .iter()
                .all(|p| at(&b.prices, &l.profit, *p).abs() < 1.0),
            "{:?}",
            l.evens
        );
    }
    let g = b.greeks.as_ref().unwrap();
    let here = g
        .along
        .iter()
        .position(|p| (*p - 100.0).abs() < 0.6)
        .unwrap();
    assert!(
        (g.net[0][here].vega / e.greeks.vega - 1.0).abs() < 0.03
            && (g.net[0][here].gamma / e.greeks.gamma - 1.0).abs() < 0.03
    );
    assert!(
        g.net[1][here].gamma > 1.5 * g.net[0][here].gamma,
        "gamma grows as the end nears"
    );
    let legs: f64 = g.legs.iter().map(|leg| leg[here].theta).sum();
    assert!((legs - g.net[0][here].theta).abs() < 1e-9, "legs add up");
    let grid = b.grid.as_ref().unwrap();
    assert_eq!((grid.dates.len(), grid.profit.len()), (3, 4));
    let row = |name: GridPrice| {
        let here = grid.names.iter().position(|n| n.contains(&name));
        here.unwrap_or_else(|| panic!("{name:?} in {:?}", grid.names))
    };
    let now = row(GridPrice::Now);
    assert!(
        (grid.profit[0][now] - middle(&b, 0)).abs() < 1.0
            && (grid.profit[3][now] - at(&b.prices, &b.outline, 100.0)).abs() < 1e-9
    );
    // Every row is what it is called, and none stands twice.
    assert!(grid.prices.windows(2).all(|w| w[0] < w[1]));
    for (i, names) in grid.names.iter().enumerate() {
        let price = grid.prices[i];
        for name in names {
            let right = match name {
                GridPrice::BreakEven => grid.profit[3][i].abs() < 1.01,
                GridPrice::Strike => s.options().any(|(c, _)| c.strike.to_f64() == price),
                GridPrice::Deviation(k) => {
                    let place = [-2, -1, 1, 2].iter().position(|x| x == k).unwrap();
                    (b.bands[place] - price).abs() < 0.02
                }
                GridPrice::Round => (price / 5.0).fract() == 0.0,
                GridPrice::Now => (price - 100.0).abs() < 1e-9,
                GridPrice::Chosen => false,
            };
            assert!(right, "{price} is called {name:?}");
        }
    }
    let map = b.map.as_ref().unwrap();
    assert_eq!(
        (map.days.len(), map.profit.len(), map.profit[0].len()),
        (60, 60, 80)
    );
    for (i, price) in map.prices.iter().enumerate() {
        assert!((map.profit[0][i] - at(&b.prices, &b.lines[0].profit, *price)).abs() < 2.0);
        assert!((map.profit[59][i] - at(&b.prices, &b.outline, *price)).abs() < 2.0);
    }
    let c = b.chances.as_ref().unwrap();
    let end = &c.dates[1];
    assert!((end.profit - e.chance_of_profit).abs() < 1e-12);
    for d in &c.dates {
        assert!((d.ends.iter().sum::<f64>() - 1.0).abs() < 1e-9);
        let t = &d.touches;
        assert!(
            (t.low + t.high - t.both - t.either).abs() < 1e-9
                && t.low >= d.ends[0] - 1e-9
                && t.high >= d.ends[2] - 1e-9
        );
    }
    let mass: f64 = end
        .density
        .windows(2)
        .zip(b.prices.windows(2))
        .map(|(d, p)| 0.5 * (d[0] + d[1]) * (p[1] - p[0]))
        .sum();
    assert!(
        (mass - (at(&b.prices, &b.below, 125.0) - at(&b.prices, &b.below, 80.0))).abs() < 2e-3,
        "{mass}"
    );
}

/// Under a flat smile nothing sticks to delta, and the smile's chances are the lognormal's.
#[test]
fn a_flat_smile_changes_nothing() {
    let m = market(&underlying(), &[("1.10", "1.20"), ("2.30", "2.40")]);
    let s = structure("+1 92P -1 97P");
    let end = m.underlying.expiry_moment(&contract("92P", day()));
    let quotes: Vec<SmileQuote> = (0..15)
        .map(|i| SmileQuote {
            strike: 79.0 + 3.0 * f64::from(i),
            bid: Some(0.245),
            middle: 0.25,
            ask: 0.255,
        })
        .collect();
    let flat = Smile::fit(
        &quotes,
        100.0 * (0.04_f64 * m.at.years_until(end)).exp(),
        m.at.years_until(end),
    )
    .unwrap();
    assert!((flat.vol(85.0) - 0.25).abs() < 1e-6 && (flat.vol(60.0) - 0.25).abs() < 1e-6);
    let plain = Judgement {
        days: vec![10.0],
        chances: Some(wanted(Law::Flat)),
        ..asked(&s, price("-1.20"))
    };
    let sticky = Moved {
        sticky: Sticky::Delta(vec![(end, flat)]),
        ..Moved::default()
    };
    let (a, b) = (
        bench(&plain, &m).unwrap(),
        bench(
            &Judgement {
                moved: sticky,
                chances: Some(wanted(Law::Smile(flat))),
                ..plain.clone()
            },
            &m,
        )
        .unwrap(),
    );
    assert!(
        a.lines[0]
            .profit
            .iter()
            .zip(&b.lines[0].profit)
            .all(|(x, y)| (x - y).abs() < 1e-3)
    );
    let (x, y) = (&a.chances.unwrap().dates[1], &b.chances.unwrap().dates[1]);
    assert!(
        (x.profit - y.profit).abs() < 1e-4 && (x.expected - y.expected).abs() < 0.05,
        "{} {}",
        x.profit,
        y.profit
    );
    assert!(
        (x.touches.low - y.touches.low).abs() < 2e-3
            && (x.touches.both - y.touches.both).abs() < 2e-3
    );
}

/// Where the price is, a smile that moves with it gives each leg the volatility of the strike as
/// far from the money: interpolating between five volatilities is near the price at that very
/// volatility.
#[test]
fn a_smile_that_moves_with_the_price_prices_like_its_own_volatility() {
    let m = market(&underlying(), &[("2.30", "2.40")]);
    let s = structure("+1 95P");
    let end = m.underlying.expiry_moment(&contract("95P", day()));
    let years = m.at.years_until(end);
    let skew = |k: f64| 0.25 - 0.4 * (k / 100.0_f64).ln() + 0.3 * (k / 100.0_f64).ln().powi(2);
    let quotes: Vec<SmileQuote> = (0..21)
        .map(|i| 70.0 + 3.0 * f64::from(i))
        .map(|k| SmileQuote {
            strike: k,
            bid: Some(skew(k) - 0.004),
            middle: skew(k),
            ask: skew(k) + 0.004,
        })
        .collect();
    let smile = Smile::fit(&quotes, 100.0, years).unwrap();
    let ask = Judgement {
        moved: Moved {
            sticky: Sticky::Delta(vec![(end, smile)]),
            ..Moved::default()
        },
        ..asked(&s, price("2.35"))
    };
    let b = bench(&ask, &m).unwrap();
    for i in (0..b.prices.len()).step_by(17) {
        let spot = b.prices[i];
        let vol = 0.25 + smile.vol(95.0 * 100.0 / spot) - smile.vol(95.0);
        let own = bench(
            &Judgement {
                moved: points(vol - 0.25),
                ..asked(&s, price("2.35"))
            },
            &m,
        )
        .unwrap();
        let within = if spot < 90.0 { 0.5 } else { 5e-2 };
        assert!(
            (b.lines[0].profit[i] - own.lines[0].profit[i]).abs() < within,
            "at {spot}: {} {}",
            b.lines[0].profit[i],
            own.lines[0].profit[i]
        );
    }
    // The price falls towards the strike: its volatility falls too, against the strike's own.
    let stuck = bench(&asked(&s, price("2.35")), &m).unwrap();
    assert!(
        at(&b.prices, &b.lines[0].profit, 92.0) < at(&stuck.prices, &stuck.lines[0].profit, 92.0)
    );
}

/// A volatility that falls in one expiration only leaves the other leg alone.
#[test]
fn a_calendar_across_results_loses_its_near_volatility() {
    let now = Moment::at(jiff::civil::date(2031, 3, 11), 16, 0);
    let (near, far) = (day(), jiff::civil::date(2031, 6, 20));
    let s = Holding::new(
        on("-1 100C", near)
            .legs()
            .iter()
            .chain(on("+1 100C", far).legs())
            .cloned(),
    );
    let mut m = market(&underlying(), &[("3.50", "3.60"), ("5.60", "5.80")]);
    m.at = now;
    let drop = |at: Vec<(jiff::civil::Date, Shift)>| {
        bench(
            &Judgement {
                moved: Moved {
                    at,
                    ..Moved::default()
                },
                ..asked(&s, price("2.15"))
            },
            &m,
        )
        .unwrap()
    };
    let (as_it_is, near_only) = (drop(vec![]), drop(vec![(near, Shift::Points(-0.10))]));
    let both = bench(
        &Judgement {
            moved: points(-0.10),
            ..asked(&s, price("2.15"))
        },
        &m,
    )
    .unwrap();
    let today = |b: &Bench| at(&b.prices, &b.lines[0].profit, 100.0);
    assert!(
        today(&near_only) > today(&as_it_is) && today(&both) < today(&as_it_is),
        "{} {} {}",
        today(&near_only),
        today(&as_it_is),
        today(&both)
    );
    // At the near end only the far leg's volatility counts.
    let end = |b: &Bench| at(&b.prices, &b.outline, 100.0);
    assert!((end(&near_only) - end(&as_it_is)).abs() < 1e-6 && end(&both) < end(&as_it_is));
    let over_time = bench(
        &Judgement {
            greeks: Some((Along::Time(100.0), vec![])),
            ..asked(&s, price("2.15"))
        },
        &m,
    )
    .unwrap()
    .greeks
    .unwrap();
    assert_eq!((over_time.net.len(), over_time.legs.len()), (1, 2));
    assert!(
        over_time.net[0].last().unwrap().gamma < 3.0 * over_time.net[0][0].gamma,
        "the sold leg's gamma dwarfs everything at its end"
    );
}

#[test]
fn target_and_stop_compete() {
    let m = market(&underlying(), &[("1.10", "1.20"), ("2.30", "2.40")]);
    let s = structure("+1 92P -1 97P");
    let aims = |target, stop| {
        let chances = Some(ChancesAsked {
            target,
            stop,
            ..wanted(Law::Flat)
        });
        bench(
            &Judgement {
                chances,
                ..asked(&s, price("-1.20"))
            },
            &m,
        )
        .unwrap()
        .chances
        .unwrap()
    };
    let (alone, with_stop, full) = (
        aims(Some(60.0), None),
        aims(Some(60.0), Some(-120.0)),
        aims(Some(119.0), None),
    );
    assert!(
        alone.reached.unwrap() > alone.dates[1].profit,
        "half of its most is reached more often than it ends with a profit"
    );
    assert!(
        with_stop.reached.unwrap() < alone.reached.unwrap()
            && full.reached.unwrap() < alone.reached.unwrap()
    );
    // Before its end it has reached the one, fallen to the other, or neither.
    let (reached, stopped) = (with_stop.reached.unwrap(), with_stop.stopped.unwrap());
    assert!(
        stopped > 0.05 && reached + stopped <= 1.0 + 1e-3,
        "{reached} {stopped}"
    );
    assert_eq!((alone.stopped, aims(None, None).reached), (None, None));
}

/// A smile with arbitrage in a wing has no law of the price: the bench names it and gives all the
/// rest.
#[test]
fn a_broken_wing_costs_the_chances_alone() {
    let m = market(&underlying(), &[("1.10", "1.20"), ("2.30", "2.40")]);
    let s = structure("+1 92P -1 97P");
    let end = m.underlying.expiry_moment(&contract("92P", day()));
    let years = m.at.years_until(end);
    // Volatility that rises so steeply that a higher call costs more than a lower one.
    let quotes: Vec<SmileQuote> = (0..15)
        .map(|i| {
            let strike = 79.0 + 3.0 * f64::from(i);
            let middle = 0.25 + 0.08 * (strike - 106.0_f64).max(0.0);
            SmileQuote {
                strike,
                bid: Some(middle - 0.005),
                middle,
                ask: middle + 0.005,
            }
        })
        .collect();
    let broken = Smile::fit(&quotes, 100.0 * (0.04_f64 * years).exp(), years).unwrap();
    let plain = Judgement {
        days: vec![10.0],
        map: true,
        chances: Some(wanted(Law::Flat)),
        ..asked(&s, price("-1.20"))
    };
    let asked = Judgement {
        chances: Some(wanted(Law::Smile(broken))),
        ..plain.clone()
    };
    let (whole, rest) = (bench(&plain, &m).unwrap(), bench(&asked, &m).unwrap());
    assert!(rest.chances.is_none() && whole.chances.is_some());
    assert!(matches!(
        rest.no_chances,
        Some(quant::Error::Arbitrage { .. })
    ));
    assert_eq!(rest.lines[0].profit, whole.lines[0].profit);
    assert_eq!(rest.outline, whole.outline);
    assert!(rest.map.is_some());
}

/// Drafts that are compared share their prices; every strike within is one of them, none outside.
#[test]
fn compared_outlines_have_their_corners() {
    let first = [80.0, 100.0, 120.0];
    let prices = shared_prices(&first, 100.0, 130.0, [95.37, 101.11, 95.37, 200.0]);
    assert!(prices.windows(2).all(|w| w[0] < w[1]));
    assert!(prices.contains(&95.37) && prices.contains(&101.11) && !prices.contains(&200.0));
    assert_eq!((prices[0], prices[prices.len() - 1]), (80.0, 132.6));
    assert_eq!(prices.len(), 203);
}
