//! Scheduled news against the world's own variances, and searches that are stopped.
#![allow(clippy::unwrap_used)]

use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use desk::{Decimal, Holding, Instrument, Kind, Leg, Moment, Price, Saved, UnderlyingKind};
use engine::Engine;
use jiff::civil::date;
use market::{AnnouncedKind, DEMO_DAY, Quoter, UnderlyingAt, World};
use plans::scout::{Family, Rank, ScoutAsked, ScoutLimits};
use studies::scouting::{
    After, Expectation, LawFrom, Looks, SearchAsked, Where, brought_by, move_priced, past_news,
    search, searched,
};

/// What two expirations price for news is what the world put there: the variance that its surface
/// gains over the opening at which the outcome is known. The median error is under a tenth.
#[test]
fn a_priced_move_is_the_worlds_own() {
    let world = World::new(1);
    let now = Moment::at(DEMO_DAY, 10, 42);
    let mut errors = Vec::new();
    for underlying in world.underlyings(now) {
        let symbol = underlying.symbol.as_str();
        let seen = UnderlyingAt {
            world: &world,
            underlying,
            at: now,
        };
        for past in past_news(&seen, Looks::default()) {
            let then = UnderlyingAt {
                at: past.before,
                ..seen
            };
            let minute = 60_000;
            let known = past.news.known;
            let w = |end: Moment| world.total_variance(symbol, past.before, end).unwrap();
            let own = w(known.plus_millis(minute)) - w(known.plus_millis(-minute));
            let priced = move_priced(&then, known).unwrap().of;
            assert_eq!(Some(priced), past.priced.map(|p| p.of));
            errors.push((priced.deviation.powi(2) / own - 1.0).abs());
        }
    }
    errors.sort_by(f64::total_cmp);
    assert!(errors.len() > 60, "{}", errors.len());
    let median = errors[errors.len() / 2];
    assert!(median < 0.1, "{median}");
}

/// Looks lie where they are said to, and what is told of the past knows nothing that came later: the
/// same news looked at from a later day is the same.
#[test]
fn past_news_stays_what_it_was() {
    let world = World::new(1);
    let at = |day, hour| UnderlyingAt {
        world: &world,
        underlying: world.underlying("NMOU").unwrap(),
        at: Moment::at(day, hour, 0),
    };
    let looks = Looks {
        before: 2,
        after: After::Close(1),
    };
    let then = past_news(&at(date(2031, 1, 15), 11), looks);
    let later = past_news(&at(date(2031, 3, 11), 11), looks);
    assert!(then.len() > 5);
    let first = later.iter().position(|p| p == &then[0]).unwrap();
    assert_eq!(&later[first..first + 5], &then[..5]);
    for past in &then {
        assert_eq!(past.news.kind, AnnouncedKind::Earnings);
        assert!(past.before < past.news.known && past.news.known < past.after);
        let inside = past.deviation.unwrap();
        assert!(inside > past.priced.unwrap().of.deviation);
    }
}

fn asked() -> SearchAsked {
    SearchAsked {
        expectation: Expectation {
            by: date(2031, 4, 18),
            region: Where::Deviations(Some(-1.0), None),
            sure: Some(0.9),
            law: LawFrom::Smile,
        },
        what: ScoutAsked {
            families: vec![Family::Vertical, Family::Calendar],
            width: None,
            reach: 1.5,
            price: Decimal::ZERO,
            fees: true,
            rank: Rank::default(),
            limits: ScoutLimits::default(),
        },
        expirations: 2,
        strikes: Some(12),
        rows: 10,
        within_level: true,
        within_rule: false,
        within_lean: false,
    }
}

/// A search that is stopped gives what it has and says so; each underlying that was done before is in
/// it. Not stopped it tells how far it is, never backwards.
#[test]
fn a_search_is_stopped_between_underlyings_and_within() {
    let start = Moment::at(DEMO_DAY, 10, 42);
    let engine = Engine::restore(Arc::new(World::new(1)), Saved::default(), start);
    let all = searched(engine.state(), date(2031, 4, 18));
    assert!(all.len() > 12);
    let some: Vec<String> = all.into_iter().take(4).collect();
    let run = |most: usize| {
        let told = AtomicUsize::new(0);
        let mut part = Vec::new();
        let found = search(
            engine.state(),
            &mut Quoter::new(),
            (&some, &asked()),
            &|| told.load(Ordering::Relaxed) >= most,
            &mut |p, _| {
                told.fetch_add(1, Ordering::Relaxed);
                part.push((p.done, p.within.done, p.judged));
            },
        );
        assert!(part.is_sorted());
        (found, told.into_inner())
    };
    let (whole, steps) = run(usize::MAX);
    assert!(!whole.stopped && whole.left_out.is_empty() && whole.rows.len() == 10);
    let (half, _) = run(steps / 2);
    assert!(half.stopped && half.judged > 0 && half.judged < whole.judged);
    let (none, _) = run(0);
    assert!(none.stopped && none.judged == 0);
}

/// What shares bring by a date is their price and the dividends on the way, what a future brings the
/// change of its price, what an option that has ended its exercise value.
#[test]
fn what_is_brought_by_a_date() {
    let world = World::new(1);
    let at = Moment::at(DEMO_DAY, 10, 42);
    let bought = |symbol: &str| UnderlyingAt {
        world: &world,
        underlying: world.underlying(symbol).unwrap(),
        at,
    };
    let mut quoter = Quoter::new();
    let mut paid = 0;
    for underlying in world.underlyings(at) {
        let symbol = underlying.symbol.as_str();
        let seen = bought(symbol);
        let Some(e) = seen
            .expirations()
            .into_iter()
            .rfind(|e| at.days_until(e.date) < 200)
        else {
            continue;
        };
        let then = e.moment();
        let end = world.spot(symbol, then).unwrap();
        if underlying.kind != UnderlyingKind::Index {
            let own = Leg {
                instrument: Instrument::Underlying(symbol.to_owned()),
                quantity: 3,
            };
            let units = underlying.units(&own.instrument);
            let brought = brought_by(&seen, &mut quoter, &Holding::new([own]), then).unwrap();
            let cash = world.dividends(symbol, at, at.days_until(e.date));
            let dividends = cash.iter().map(|(_, c)| *c).fold(Price::ZERO, |a, b| a + b);
            paid += cash.len();
            let wanted = if underlying.kind == UnderlyingKind::Future {
                end - world.spot(symbol, at).unwrap()
            } else {
                end + dividends
            };
            assert_eq!(brought, wanted.times(3 * units), "{symbol}");
        }
        let strikes = market::strikes(&world, symbol, &e, at);
        let low = strikes[strikes.len() / 3];
        let call = market::contract(&world, symbol, &e, Kind::Call, low).unwrap();
        let one = Holding::new([Leg::option(call, -2)]);
        let wanted = (end - low)
            .max(Price::ZERO)
            .times(-2 * underlying.multiplier);
        let brought = brought_by(&seen, &mut quoter, &one, then);
        assert_eq!(brought, Some(wanted), "{symbol}");
    }
    assert!(paid > 0, "no dividend on the way");
}
