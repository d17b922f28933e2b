//! The world behaves: shown over its history, for more than one seed.
#![allow(clippy::unwrap_used)]

use desk::calendar::{close_of, next_session, open_of};
use desk::*;
use jiff::ToSpan;
use jiff::civil::date;
use market::{DEMO_DAY, Quoter, World, check_listed, contract, strikes};

fn demo_moment() -> Moment {
    Moment::at(DEMO_DAY, 10, 42)
}

#[test]
fn the_same_seed_is_the_same_world_and_another_is_not() {
    let (a, b, c) = (World::new(7), World::new(7), World::new(8));
    let mut at = open_of(date(2029, 2, 1));
    for i in 0..200_i64 {
        at = at.plus_millis(86_400_000 + i * 977);
        for u in a.underlyings() {
            assert_eq!(a.spot(&u.symbol, at), b.spot(&u.symbol, at));
        }
    }
    assert_ne!(a.spot("NMOU", at), c.spot("NMOU", at));
    for (symbol, near) in [("WXMR", 2_940.0), ("WXMT", 294.0), ("NMOU", 187.0), ("TLVN", 92.0)] {
        for world in [&a, &c] {
            let open = world.spot(symbol, open_of(DEMO_DAY)).unwrap().to_f64();
            assert!((open / near - 1.0).abs() < 1e-4, "{symbol} {open}");
        }
    }
}

#[test]
fn minutes_bridge_the_day_and_betas_can_be_estimated() {
    for seed in [1, 2] {
        let world = World::new(seed);
        let at = close_of(date(2031, 3, 10));
        let returns = |symbol| -> Vec<f64> {
            let closes = world.closes(symbol, at, 650).unwrap();
            closes.windows(2).map(|w| (w[1] / w[0]).ln()).collect()
        };
        let index = returns("WXMR");
        let mean = |x: &[f64]| x.iter().sum::<f64>() / x.len() as f64;
        let covariance = |x: &[f64], y: &[f64]| -> f64 {
            let (mx, my) = (mean(x), mean(y));
            x.iter().zip(y).map(|(a, b)| (a - mx) * (b - my)).sum::<f64>() / x.len() as f64
        };
        for u in world.underlyings() {
            let own = returns(&u.symbol);
            let beta = covariance(&own, &index) / covariance(&index, &index);
            assert!((beta - u.beta).abs() < 0.30, "seed {seed} {}: {beta} for {}", u.symbol, u.beta);
        }
        // Leverage: a fall is followed by higher implied variance more often than not.
        let days: Vec<_> = (0..400).map(|i| date(2029, 6, 1).checked_add(i.days()).unwrap()).filter(|d| desk::calendar::is_session(*d)).collect();
        let variance = |d| world.total_variance("WXMR", close_of(d), close_of(d).plus_millis(30 * 86_400_000)).unwrap();
        let moves: Vec<(f64, f64)> = days
            .windows(2)
            .map(|w| {
                (
                    world.spot("WXMR", close_of(w[1])).unwrap().to_f64() / world.spot("WXMR", close_of(w[0])).unwrap().to_f64() - 1.0,
                    variance(w[1]) / variance(w[0]) - 1.0,
                )
            })
            .collect();
        let (r, v): (Vec<f64>, Vec<f64>) = moves.into_iter().unzip();
        let correlation = covariance(&r, &v) / (covariance(&r, &r) * covariance(&v, &v)).sqrt();
        assert!(correlation < -0.4, "seed {seed}: {correlation}");
    }
    let world = World::new(1);
    let day = date(2031, 3, 12);
    let (open, close) = (world.spot("NMOU", open_of(day)).unwrap(), world.spot("NMOU", close_of(day)).unwrap());
    let nearly = world.spot("NMOU", close_of(day).plus_millis(-200)).unwrap();
    assert!((nearly.to_f64() - close.to_f64()).abs() < 0.15 && open != close);
    assert_eq!(world.spot("NMOU", Moment::at(date(2031, 3, 15), 12, 0)), world.spot("NMOU", close_of(date(2031, 3, 14))));
}

#[test]
fn volatility_rises_into_results_and_collapses_behind_them_only() {
    let world = World::new(3);
    let results = date(2031, 3, 20);
    let (before, after) = (close_of(results), open_of(next_session(results)).plus_millis(60_000));
    let vol = |at: Moment, expiry: Moment| (world.total_variance("NMOU", at, expiry).unwrap() / at.years_until(expiry)).sqrt();
    let (behind, far) = (close_of(date(2031, 3, 28)), close_of(date(2032, 1, 16)));
    assert!(vol(before, behind) > vol(after, behind) + 0.04, "{} {}", vol(before, behind), vol(after, behind));
    assert!((vol(before, far) - vol(after, far)).abs() < 0.03);
    let early = Moment::at(DEMO_DAY, 12, 0);
    let ahead = close_of(date(2031, 3, 14));
    assert!(vol(early, ahead) < vol(early, behind), "the expiration before the results does not carry them");
    assert_eq!(world.events("NMOU", early, 30).len(), 1);
    assert!(world.events("NMOU", after, 30).is_empty());
}

#[test]
fn no_arbitrage_and_no_crossed_market_anywhere_on_the_grid() {
    let world = World::new(5);
    let mut quoter = Quoter::new();
    for at in [demo_moment(), close_of(date(2030, 7, 2)), open_of(date(2029, 10, 8)).plus_millis(1_000), Moment::at(date(2031, 4, 11), 9, 0)] {
        for u in world.underlyings() {
            let spot = world.spot(&u.symbol, at).unwrap().to_f64();
            let expirations = world.expirations(&u.symbol, at).unwrap();
            let mut last = 0.0;
            for e in &expirations {
                let variance = world.total_variance(&u.symbol, at, e.moment()).unwrap();
                assert!(variance >= last, "{} {}: calendar", u.symbol, e.date);
                last = variance;
                let ks = strikes(&world, &u.symbol, e, at);
                assert!(ks.len() >= 12 && ks.len() <= 260, "{} {} has {} strikes", u.symbol, e.date, ks.len());
                let mut values = [Vec::new(), Vec::new()];
                for (c, l) in quoter.chain(&world, u, e, at) {
                    assert!(l.quote.bid < l.quote.ask && l.quote.ask.raw() > 0, "{c} {:?}", l.quote);
                    assert!(u.ticks.allows(l.quote.bid) && u.ticks.allows(l.quote.ask), "{c} {:?}", l.quote);
                    let strike = c.strike.to_f64();
                    assert!(l.theoretical >= c.kind.intrinsic(spot, strike) - 1e-9 || u.style == quant::Style::European, "{c}");
                    values[usize::from(c.kind == Kind::Put)].push((strike, l.theoretical));
                }
                assert_eq!((values[0].len(), values[1].len()), (ks.len(), ks.len()));
                for list in &values {
                    for w in list.windows(3) {
                        let slopes = [(w[1].1 - w[0].1) / (w[1].0 - w[0].0), (w[2].1 - w[1].1) / (w[2].0 - w[1].0)];
                        assert!(slopes[1] >= slopes[0] - 2e-4, "{} {} butterfly at {}: {slopes:?}", u.symbol, e.date, w[1].0);
                    }
                }
            }
        }
    }
}

#[test]
fn strikes_stay_listed_while_the_price_wanders_and_strangers_are_named() {
    let world = World::new(11);
    let at = Moment::at(date(2030, 5, 6), 11, 0);
    let e = world.expirations("NMOU", at).unwrap().into_iter().find(|e| at.days_until(e.date) > 30).unwrap();
    let listed = strikes(&world, "NMOU", &e, at);
    let mut day = at.date();
    while next_session(day) < e.date {
        day = next_session(day);
        let now = strikes(&world, "NMOU", &e, Moment::at(day, 10, 0));
        assert!(listed.iter().all(|k| now.contains(k)), "{day}");
    }
    let c = contract(&world, "NMOU", &e, Kind::Call, listed[listed.len() / 2]).unwrap();
    assert_eq!(check_listed(&world, &c, at), Ok(()));
    let off = Contract { strike: c.strike + Price::cents(30), ..c.clone() };
    let text = check_listed(&world, &off, at).unwrap_err().to_string();
    assert!(text.contains("is not a listed strike for") && text.contains(" and "), "{text}");
    let stranger = Contract { root: "ZZZZ".into(), ..c.clone() };
    assert!(check_listed(&world, &stranger, at).unwrap_err().to_string().contains("known symbols: WXMR"));
    let late = close_of(e.date);
    assert!(check_listed(&world, &c, late).unwrap_err().to_string().contains("expired on"));
    let saturday = Contract { expiry: c.expiry.checked_add(1.day()).unwrap(), ..c };
    assert!(check_listed(&world, &saturday, at).unwrap_err().to_string().contains("nearest:"));
}

#[test]
fn the_chain_volatility_is_the_solved_one_and_quotes_do_not_depend_on_memory() {
    let world = World::new(13);
    let at = demo_moment();
    let mut used = Quoter::new();
    for symbol in ["NMOU", "TLVN", "WXMR"] {
        let u = world.underlying(symbol).unwrap();
        let e = world.expirations(symbol, at).unwrap().into_iter().find(|e| at.days_until(e.date) > 25).unwrap();
        used.chain(&world, u, &e, at.plus_millis(-3_600_000));
        for (c, seen) in used.chain(&world, u, &e, at) {
            assert_eq!(Some(seen), Quoter::new().quote(&world, &c, at), "alone, without a memory");
            if let Some(shown) = seen.implied.filter(|_| seen.delta.abs() > 0.1 && seen.delta.abs() < 0.9) {
                let solved = Quoter::new().leg(&world, &c, at).unwrap().vol;
                assert!((shown - solved).abs() < 1.5e-3, "{symbol} {c}: {shown} {solved}");
            }
        }
    }
}
