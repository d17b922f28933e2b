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
        for u in a.underlyings(at) {
            assert_eq!(a.spot(&u.symbol, at), b.spot(&u.symbol, at));
        }
    }
    assert_ne!(a.spot("NMOU", at), c.spot("NMOU", at));
    for (symbol, near) in [
        ("WXMR", 2_940.0),
        ("WXMT", 294.0),
        ("NMOU", 187.0),
        ("TLVN", 92.0),
    ] {
        for world in [&a, &c] {
            let open = world.spot(symbol, open_of(DEMO_DAY)).unwrap().to_f64();
            assert!((open / near - 1.0).abs() < 1e-4, "{symbol} {open}");
        }
    }
}

#[test]
fn minutes_bridge_the_day_and_betas_can_be_estimated() {
    for seed in [1, 2, 20_310_311] {
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
            x.iter()
                .zip(y)
                .map(|(a, b)| (a - mx) * (b - my))
                .sum::<f64>()
                / x.len() as f64
        };
        for u in world.underlyings(at) {
            let own = returns(&u.symbol);
            let beta = covariance(&own, &index) / covariance(&index, &index);
            assert!(
                (beta - u.beta).abs() < 0.15,
                "seed {seed} {}: {beta} for {}",
                u.symbol,
                u.beta
            );
        }
        // Leverage: a fall is followed by higher implied variance more often than not.
        let days: Vec<_> = (0..400)
            .map(|i| date(2029, 6, 1).checked_add(i.days()).unwrap())
            .filter(|d| desk::calendar::is_session(*d))
            .collect();
        let variance = |d| {
            world
                .total_variance(
                    "WXMR",
                    close_of(d),
                    close_of(d).plus_millis(30 * 86_400_000),
                )
                .unwrap()
        };
        let moves: Vec<(f64, f64)> = days
            .windows(2)
            .map(|w| {
                (
                    world.spot("WXMR", close_of(w[1])).unwrap().to_f64()
                        / world.spot("WXMR", close_of(w[0])).unwrap().to_f64()
                        - 1.0,
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
    let (open, close) = (
        world.spot("NMOU", open_of(day)).unwrap(),
        world.spot("NMOU", close_of(day)).unwrap(),
    );
    let nearly = world.spot("NMOU", close_of(day).plus_millis(-200)).unwrap();
    assert!((nearly.to_f64() - close.to_f64()).abs() < 0.15 && open != close);
    assert_eq!(
        world.spot("NMOU", Moment::at(date(2031, 3, 15), 12, 0)),
        world.spot("NMOU", close_of(date(2031, 3, 14)))
    );
}

#[test]
fn volatility_rises_into_results_and_collapses_behind_them_only() {
    let world = World::new(3);
    let results = date(2031, 3, 20);
    let (before, after) = (
        close_of(results),
        open_of(next_session(results)).plus_millis(60_000),
    );
    let vol = |at: Moment, expiry: Moment| {
        (world.total_variance("NMOU", at, expiry).unwrap() / at.years_until(expiry)).sqrt()
    };
    let (behind, far) = (close_of(date(2031, 3, 28)), close_of(date(2032, 1, 16)));
    assert!(
        vol(before, behind) > vol(after, behind) + 0.04,
        "{} {}",
        vol(before, behind),
        vol(after, behind)
    );
    assert!((vol(before, far) - vol(after, far)).abs() < 0.03);
    let early = Moment::at(DEMO_DAY, 12, 0);
    let ahead = close_of(date(2031, 3, 14));
    assert!(
        vol(early, ahead) < vol(early, behind),
        "the expiration before the results does not carry them"
    );
    assert_eq!(world.events("NMOU", early, 30).len(), 1);
    assert!(world.events("NMOU", after, 30).is_empty());
}

#[test]
fn no_arbitrage_and_no_crossed_market_anywhere_on_the_grid() {
    let world = World::new(5);
    let mut quoter = Quoter::new();
    for at in [
        demo_moment(),
        close_of(date(2030, 7, 2)),
        open_of(date(2029, 10, 8)).plus_millis(1_000),
        Moment::at(date(2031, 4, 11), 9, 0),
    ] {
        for u in world.underlyings(at) {
            let spot = world.spot(&u.symbol, at).unwrap().to_f64();
            let expirations = world.expirations(&u.symbol, at).unwrap();
            let mut last = 0.0;
            for e in &expirations {
                let variance = world.total_variance(&u.symbol, at, e.moment()).unwrap();
                assert!(variance >= last, "{} {}: calendar", u.symbol, e.date);
                last = variance;
                let ks = strikes(&world, &u.symbol, e, at);
                assert!(
                    ks.len() >= 12 && ks.len() <= 260,
                    "{} {} has {} strikes",
                    u.symbol,
                    e.date,
                    ks.len()
                );
                let mut values = [Vec::new(), Vec::new()];
                for (c, l) in quoter.chain(&world, u, e, at) {
                    assert!(
                        l.quote.bid < l.quote.ask && l.quote.ask.raw() > 0,
                        "{c} {:?}",
                        l.quote
                    );
                    assert!(
                        u.ticks.allows(l.quote.bid) && u.ticks.allows(l.quote.ask),
                        "{c} {:?}",
                        l.quote
                    );
                    let strike = c.strike.to_f64();
                    assert!(
                        l.theoretical >= c.kind.intrinsic(spot, strike) - 1e-9
                            || u.style == quant::Style::European,
                        "{c}"
                    );
                    values[usize::from(c.kind == Kind::Put)].push((strike, l.theoretical));
                }
                assert_eq!((values[0].len(), values[1].len()), (ks.len(), ks.len()));
                for list in &values {
                    for w in list.windows(3) {
                        let slopes = [
                            (w[1].1 - w[0].1) / (w[1].0 - w[0].0),
                            (w[2].1 - w[1].1) / (w[2].0 - w[1].0),
                        ];
                        assert!(
                            slopes[1] >= slopes[0] - 2e-4,
                            "{} {} butterfly at {}: {slopes:?}",
                            u.symbol,
                            e.date,
                            w[1].0
                        );
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
    let e = world
        .expirations("NMOU", at)
        .unwrap()
        .into_iter()
        .find(|e| at.days_until(e.date) > 30)
        .unwrap();
    let listed = strikes(&world, "NMOU", &e, at);
    let mut day = at.date();
    while next_session(day) < e.date {
        day = next_session(day);
        let now = strikes(&world, "NMOU", &e, Moment::at(day, 10, 0));
        assert!(listed.iter().all(|k| now.contains(k)), "{day}");
    }
    let c = contract(&world, "NMOU", &e, Kind::Call, listed[listed.len() / 2]).unwrap();
    assert_eq!(check_listed(&world, &c, at), Ok(()));
    let off = Contract {
        strike: c.strike + Price::cents(30),
        ..c.clone()
    };
    let text = check_listed(&world, &off, at).unwrap_err().to_string();
    assert!(
        text.contains("is not a listed strike for") && text.contains(" and "),
        "{text}"
    );
    let stranger = Contract {
        root: "ZZZZ".into(),
        ..c.clone()
    };
    assert!(
        check_listed(&world, &stranger, at)
            .unwrap_err()
            .to_string()
            .contains("known symbols: WXMR")
    );
    let late = close_of(e.date);
    assert!(
        check_listed(&world, &c, late)
            .unwrap_err()
            .to_string()
            .contains("expired on")
    );
    let saturday = Contract {
        expiry: c.expiry.checked_add(1.day()).unwrap(),
        ..c
    };
    assert!(
        check_listed(&world, &saturday, at)
            .unwrap_err()
            .to_string()
            .contains("nearest:")
    );
}

#[test]
fn the_chain_volatility_is_the_solved_one_and_quotes_do_not_depend_on_memory() {
    let world = World::new(13);
    let at = demo_moment();
    let mut used = Quoter::new();
    for symbol in ["NMOU", "TLVN", "WXMR"] {
        let u = world.underlying(symbol).unwrap();
        let e = world
            .expirations(symbol, at)
            .unwrap()
            .into_iter()
            .find(|e| at.days_until(e.date) > 25)
            .unwrap();
        used.chain(&world, u, &e, at.plus_millis(-3_600_000));
        for (c, seen) in used.chain(&world, u, &e, at) {
            assert_eq!(
                Some(seen),
                Quoter::new().quote(&world, &c, at),
                "alone, without a memory"
            );
            if let Some(shown) = seen
                .implied
                .filter(|_| seen.delta.abs() > 0.1 && seen.delta.abs() < 0.9)
            {
                let solved = Quoter::new().leg(&world, &c, at).unwrap().vol;
                assert!(
                    (shown - solved).abs() < 1.5e-3,
                    "{symbol} {c}: {shown} {solved}"
                );
            }
        }
    }
}

const DEMO_SEED: u64 = 20_310_311;

fn sessions(from: jiff::civil::Date, to: jiff::civil::Date) -> Vec<jiff::civil::Date> {
    let mut out = vec![next_session(from)];
    while out[out.len() - 1] < to {
        out.push(next_session(out[out.len() - 1]));
    }
    out
}

/// Volatility of thirty days ahead, and what was realised over them afterwards.
fn implied_and_realised(world: &World, symbol: &str) -> (f64, f64) {
    let days = sessions(date(2028, 9, 1), date(2033, 10, 3));
    let month = 30 * 86_400_000;
    let (mut implied, mut realised, mut count) = (0.0, 0.0, 0.0);
    for day in days.iter().step_by(5) {
        let (now, then) = (close_of(*day), close_of(*day).plus_millis(month));
        let ahead = sessions(*day, then.date());
        let closes: Vec<f64> = std::iter::once(*day)
            .chain(ahead)
            .map(|d| world.spot(symbol, close_of(d)).unwrap().to_f64())
            .collect();
        let moved: f64 = closes.windows(2).map(|w| (w[1] / w[0]).ln().powi(2)).sum();
        implied += world.total_variance(symbol, now, then).unwrap();
        realised += moved;
        count += 1.0;
    }
    (implied / count, realised / count)
}

/// The stated premium is 20 % of variance on index and funds, some 12 to 15 on shares; five years
/// of one path leave it within some tenths.
#[test]
fn volatility_is_dearer_than_it_turns_out() {
    let world = World::new(DEMO_SEED);
    let ratios: Vec<(String, f64)> = world
        .underlyings(demo_moment())
        .map(|u| {
            let (implied, realised) = implied_and_realised(&world, &u.symbol);
            (u.symbol.clone(), implied / realised)
        })
        .collect();
    let mean = ratios.iter().map(|r| r.1.ln()).sum::<f64>() / ratios.len() as f64;
    assert!(
        (1.05..1.5).contains(&mean.exp()),
        "{} {ratios:?}",
        mean.exp()
    );
    assert!(
        ratios.iter().filter(|r| r.1 > 1.0).count() * 4 > ratios.len() * 3,
        "{ratios:?}"
    );
    let index = ratios.iter().find(|r| r.0 == "WXMR").unwrap().1;
    assert!((1.0..1.6).contains(&index), "{index}");
}

/// Every scheduled event of the demo year: what ends behind it carries it and loses it the morning
/// after, what ends before never did.
#[test]
fn each_event_is_priced_behind_it_and_gone_the_morning_after() {
    let world = World::new(DEMO_SEED);
    let from = close_of(date(2030, 3, 8));
    let mut seen = 0;
    for u in world.underlyings(from) {
        for event in world
            .events(&u.symbol, from, 420)
            .into_iter()
            .filter(|e| e.kind == EventKind::News)
        {
            let (eve, morning) = (
                close_of(event.date).plus_millis(-60_000),
                open_of(next_session(event.date)).plus_millis(60_000),
            );
            let vol = |at: Moment, days: i64| {
                let end = eve.plus_millis(days * 86_400_000);
                (world.total_variance(&u.symbol, at, end).unwrap() / at.years_until(end)).sqrt()
            };
            assert!(
                vol(eve, 8) > vol(morning, 8) + 0.02,
                "{} {}: {} {}",
                u.symbol,
                event.date,
                vol(eve, 8),
                vol(morning, 8)
            );
            assert!(
                (vol(eve, 700) - vol(morning, 700)).abs() < 0.05,
                "{} {}",
                u.symbol,
                event.date
            );
            let week_before = eve.plus_millis(-7 * 86_400_000);
            let before = |days: i64| {
                let end = eve.plus_millis(days * 86_400_000);
                (world.total_variance(&u.symbol, week_before, end).unwrap()
                    / week_before.years_until(end))
                .sqrt()
            };
            assert!(before(-1) < before(1) - 0.02, "{} {}", u.symbol, event.date);
            seen += 1;
        }
    }
    assert!(seen > 25, "{seen} events in a year");
}

/// What a chain looks like from its numbers: wings that nobody bids for, round strikes and
/// monthlies where the contracts are, packages dealt inside the sum of their legs.
#[test]
fn markets_have_thin_wings_round_strikes_and_cheap_packages() {
    let world = World::new(DEMO_SEED);
    let at = demo_moment();
    let mut quoter = Quoter::new();
    let (mut without_bid, mut quoted) = (0, 0);
    for u in world.underlyings(at) {
        let spot = world.spot(&u.symbol, at).unwrap().to_f64();
        let (mut round, mut between) = ((0, 0), (0, 0));
        for e in world.expirations(&u.symbol, at).unwrap() {
            let chain = quoter.chain(&world, u, &e, at);
            for (c, l) in &chain {
                quoted += 1;
                if l.quote.bid == Price::ZERO {
                    without_bid += 1;
                    assert!(l.quote.mid().to_f64() < 0.01 * spot, "{c}: {:?}", l.quote);
                }
            }
            // Near the money, strikes at a tenth of the price's own magnitude against the rest.
            let unit = 10_f64.powf((spot.log10() - 1.0).floor()) * 5.0;
            for (c, l) in chain
                .iter()
                .filter(|(c, _)| (c.strike.to_f64() / spot - 1.0).abs() < 0.08)
            {
                let side = if (c.strike.to_f64() / unit).fract() == 0.0 {
                    &mut round
                } else {
                    &mut between
                };
                *side = (side.0 + l.quote.open_interest.unwrap(), side.1 + 1);
            }
            for pair in chain.chunks_exact(8).take(20) {
                let unit = Holding::new([
                    Leg::option(pair[0].0.clone(), 1),
                    Leg::option(pair[6].0.clone(), -1),
                ]);
                let (bought, sold) = (pair[0].1.quote, pair[6].1.quote);
                let market = package_quote(&unit, &[bought, sold], u);
                assert!(
                    market.cross <= bought.ask - sold.bid && market.rest >= bought.bid - sold.ask,
                    "{unit:?} {market:?}"
                );
                assert!(market.rest < market.cross);
            }
        }
        if round.1 > 0 && between.1 > 0 {
            assert!(
                round.0 / round.1 > between.0 / between.1,
                "{}: {round:?} {between:?}",
                u.symbol
            );
        }
    }
    assert!(
        without_bid * 200 > quoted && without_bid * 4 < quoted,
        "{without_bid} of {quoted} have no bid"
    );
}

/// Where the volatility of thirty days stands in its own year: somewhere low, somewhere high, not
/// everywhere the same.
#[test]
fn rank_and_percentile_spread_over_the_scale() {
    let world = World::new(DEMO_SEED);
    let year = sessions(date(2030, 3, 8), date(2031, 3, 10));
    let month = 30 * 86_400_000;
    let (mut ranks, mut percentiles) = (Vec::new(), Vec::new());
    for u in world.underlyings(demo_moment()) {
        let vols: Vec<f64> = year
            .iter()
            .map(|d| {
                world
                    .total_variance(&u.symbol, close_of(*d), close_of(*d).plus_millis(month))
                    .unwrap()
            })
            .collect();
        let (low, high) = vols
            .iter()
            .fold((f64::INFINITY, 0.0_f64), |(a, b), v| (a.min(*v), b.max(*v)));
        let now = vols[vols.len() - 1];
        ranks.push(100.0 * (now.sqrt() - low.sqrt()) / (high.sqrt() - low.sqrt()));
        percentiles
            .push(100.0 * vols.iter().filter(|v| **v < now).count() as f64 / vols.len() as f64);
    }
    for scale in [&ranks, &percentiles] {
        let (low, high) = scale
            .iter()
            .fold((100.0_f64, 0.0_f64), |(a, b), v| (a.min(*v), b.max(*v)));
        assert!(low < 20.0 && high > 70.0, "{ranks:?} {percentiles:?}");
        assert!(
            scale.iter().filter(|v| (25.0..75.0).contains(*v)).count() >= 3,
            "{scale:?}"
        );
    }
}
