//! Scout: one's own law, families complete against brute force, and figures against integration.

use crate::common::*;
use desk::*;
use jiff::civil::date;
use plans::scout::*;
use quant::{Lognormal, cdf};

/// The market's law: 100 carried to 101, deviation of the logarithm 0.2.
fn flat() -> Lognormal {
    Lognormal::new(100.0, (1.01_f64).ln(), 0.2, 1.0).unwrap()
}

fn laws(regions: &[(f64, f64, f64)]) -> Result<Laws, ExpectationError> {
    let of = |(low, high, sure): &(f64, f64, f64)| Region {
        low: *low,
        high: *high,
        sure: *sure,
    };
    let regions: Vec<Region> = regions.iter().map(of).collect();
    Laws::new(MarketLaw::Flat(flat()), &regions)
}

const FAR: f64 = f64::INFINITY;

/// A percentage that equals the market's chance changes nothing; another one scales the region by p/m
/// and the rest by (1 − p)/(1 − m), and both laws are laws.
#[test]
fn ones_own_law_is_the_markets_scaled() {
    let m = flat().below(110.0) - flat().below(95.0);
    let same = laws(&[(95.0, 110.0, m)]).unwrap();
    let other = laws(&[(95.0, 110.0, 0.7)]).unwrap();
    let mut before = Upto::default();
    for price in [0.0, 40.0, 95.0, 100.0, 104.5, 110.0, 150.0, FAR] {
        let (a, b) = (same.upto(price), other.upto(price));
        assert!((a.own - a.market).abs() < 1e-12 && (a.own_mean - a.market_mean).abs() < 1e-9);
        let inside = flat().below(price.clamp(95.0, 110.0)) - flat().below(95.0);
        let outside = flat().below(price) - inside;
        let wanted = inside * 0.7 / m + outside * 0.3 / (1.0 - m);
        assert!(
            (b.own - wanted).abs() < 1e-12,
            "{price}: {} {wanted}",
            b.own
        );
        assert!(b.own >= before.own && b.own_mean >= before.own_mean);
        before = b;
    }
    let whole = other.upto(FAR);
    assert!((whole.own - 1.0).abs() < 1e-12 && (whole.market - 1.0).abs() < 1e-12);
    assert!((whole.market_mean - 101.0).abs() < 1e-9);
    // Two that touch, open at both ends, and a rest between none.
    let two = laws(&[(0.0, 90.0, 0.25), (90.0, FAR, 0.75)]).unwrap();
    assert!((two.upto(90.0).own - 0.25).abs() < 1e-12);
}

#[test]
fn what_makes_no_law_is_refused_by_name() {
    use ExpectationError as E;
    let refused = |regions: &[(f64, f64, f64)]| laws(regions).err().unwrap();
    assert!(matches!(refused(&[(110.0, 95.0, 0.5)]), E::Inside { .. }));
    assert!(matches!(refused(&[(95.0, 95.0, 0.5)]), E::Inside { .. }));
    assert!(matches!(refused(&[(90.0, 95.0, 1.5)]), E::Sure(_)));
    let overlap = refused(&[(90.0, 100.0, 0.2), (99.0, 110.0, 0.2)]);
    assert_eq!(
        overlap,
        E::Overlap {
            until: 100.0,
            from: 99.0
        }
    );
    assert!(matches!(
        refused(&[(90.0, 95.0, 0.6), (95.0, 99.0, 0.6)]),
        E::TooSure(_)
    ));
    assert!(matches!(refused(&[(1e7, FAR, 0.1)]), E::Impossible { .. }));
    assert!(matches!(
        refused(&[(0.0, 90.0, 0.2), (90.0, FAR, 0.7)]),
        E::Everything(_)
    ));
}

/// Strikes of 90 to 110 by 5 in two expirations, quoted 0.20 wide around their values at 20 %.
fn endings(u: &Underlying, at: Moment) -> Vec<ScoutEnding> {
    [day(), date(2031, 6, 20)]
        .into_iter()
        .map(|expiry| {
            let ends = u.expiry_moment(&contract("100C", expiry));
            let years = at.years_until(ends);
            let options = [90, 95, 100, 105, 110].into_iter().flat_map(|k| {
                ["C", "P"].map(|kind| {
                    let c = contract(&format!("{k}{kind}"), expiry);
                    let terms = terms_of(&c, u, at, (0.0, 0.0), 0.2);
                    let value = quant::european_price(&terms, 100.0);
                    let middle = (value * 20.0).round() as i64 * 5;
                    OptionQuoted {
                        bid: Price::cents((middle - 10).max(0)),
                        ask: Price::cents(middle + 10),
                        vol: Some(0.2),
                        delta: quant::european(&terms, 100.0).delta,
                        open_interest: i64::from(k),
                        contract: c,
                    }
                })
            });
            ScoutEnding {
                ends,
                years,
                rate: 0.0,
                paid: 0.0,
                forward: 100.0,
                variance: 0.04 * years,
                options: options.collect(),
            }
        })
        .collect()
}

struct Place {
    u: Underlying,
    laws: Laws,
    at: Moment,
    forward: f64,
    deviation: f64,
    endings: Vec<ScoutEnding>,
}

impl Place {
    fn new(regions: &[Region]) -> Place {
        let u = Underlying {
            style: quant::Style::European,
            ..underlying()
        };
        let at = Moment::at(date(2031, 3, 11), 10, 42);
        let endings = endings(&u, at);
        let years = endings[0].years;
        let law = Lognormal::new(100.0, 0.0, 0.2, years).unwrap();
        Place {
            laws: Laws::new(MarketLaw::Flat(law), regions).unwrap(),
            forward: 100.0,
            deviation: 0.2 * years.sqrt(),
            u,
            at,
            endings,
        }
    }

    fn scouted(&self) -> Scouted<'_> {
        Scouted {
            underlying: &self.u,
            spot: price("100"),
            at: self.at,
            by: self.endings[0].ends,
            days: 38,
            laws: &self.laws,
            forward: self.forward,
            deviation: self.deviation,
            fees: Fees {
                option: "0.65".parse().unwrap(),
                ..Fees::default()
            },
            dividends: 0.0,
            endings: self.endings.clone(),
        }
    }

    fn found(&self, asked: &ScoutAsked) -> (Found, Vec<JudgedPack>) {
        let mut rows = Vec::new();
        let found = scout(&self.scouted(), asked, None, |some| rows.extend(some)).unwrap();
        (found, rows)
    }
}

fn asked(families: &[Family]) -> ScoutAsked {
    ScoutAsked {
        families: families.to_vec(),
        width: None,
        reach: 9.0,
        price: Decimal::ZERO,
        fees: true,
        rank: Rank::By(RankMeasure::Expected),
        limits: ScoutLimits::default(),
    }
}

/// Every set of up to four of the twenty options with quantities of −2 to 2 is looked at: those that
/// fit a family's words are found, once each, and no others.
#[test]
fn families_are_complete() {
    let place = Place::new(&[]);
    let all: Vec<(Family, usize)> = FAMILIES
        .iter()
        .map(|(f, _)| (*f, place.found(&asked(&[*f])).1.len()))
        .collect();
    let count = |f: Family| all.iter().find(|(g, _)| *g == f).unwrap().1;
    // Counted by hand: 5 strikes and 2 rights in each of 2 expirations.
    let pairs = 10; // of 5 strikes
    assert_eq!(count(Family::Single), 2 * 2 * 5 * 2);
    assert_eq!(count(Family::Vertical), 2 * 2 * pairs * 2);
    assert_eq!(count(Family::Straddle), 2 * 5 * 2);
    assert_eq!(count(Family::Strangle), 2 * pairs * 2);
    assert_eq!(count(Family::Ratio), 2 * 2 * pairs * 4);
    // Three strikes of five: 4 evenly apart (three by 5, one by 10), 6 not; calls, puts, and both.
    assert_eq!(count(Family::Butterfly), 2 * 3 * 4 * 2);
    assert_eq!(count(Family::ButterflySkewed), 2 * 3 * 6 * 2);
    // Four of five: left out is one; wings are even where the first, the middle or the last is.
    assert_eq!(count(Family::Condor), 2 * 3 * 3 * 2);
    assert_eq!(count(Family::CondorSkewed), 2 * 3 * 2 * 2);
    assert_eq!(count(Family::Calendar), 2 * 5 * 2);
    assert_eq!(count(Family::Diagonal), 2 * (25 - 5) * 2);
    assert_eq!(count(Family::Covered), 2 * 5);
    assert_eq!(count(Family::Protected), 2 * 5);
    assert_eq!(count(Family::Collar), 2 * pairs);
    assert_eq!(count(Family::Shares), 1);
    for (family, word) in FAMILIES {
        assert_eq!(Family::of_word(word), Some(*family));
        let (found, rows) = place.found(&asked(&[*family]));
        assert_eq!((found.judged, found.given), (rows.len(), rows.len()));
        let mut texts: Vec<String> = rows.iter().map(|r| legs_text(&r.legs)).collect();
        texts.sort();
        let many = texts.len();
        texts.dedup();
        assert_eq!(texts.len(), many, "{word}: each once");
    }
    // Wings of 5 alone: neighbours pair, and of condors the body stays free.
    let narrow = ScoutAsked {
        width: Some(5.0),
        ..asked(&[Family::Vertical])
    };
    assert_eq!(place.found(&narrow).1.len(), 2 * 2 * 4 * 2);
}

/// Means, chances and worst twentieths of every candidate against sums over 40,000 prices; longer legs
/// by Black's formula there.
#[test]
fn figures_are_those_of_integration() {
    let regions = [
        Region {
            low: 97.0,
            high: 104.0,
            sure: 0.8,
        },
        Region {
            low: 108.0,
            high: FAR,
            sure: 0.01,
        },
    ];
    let place = Place::new(&regions);
    let families: Vec<Family> = FAMILIES.iter().map(|(f, _)| *f).collect();
    let (_, rows) = place.found(&asked(&families));
    assert!(rows.len() > 400);
    let n = 40_000;
    let law = Lognormal::new(100.0, 0.0, place.deviation, 1.0).unwrap();
    let m: Vec<f64> = regions
        .iter()
        .map(|r| law.below(r.high) - law.below(r.low))
        .collect();
    let rest = (1.0 - 0.81) / (1.0 - m[0] - m[1]);
    let factor = |s: f64| {
        let inside = regions.iter().position(|r| r.low <= s && s < r.high);
        inside.map_or(rest, |i| regions[i].sure / m[i])
    };
    // Even steps of the normal variable between −8 and 8, at their middles.
    let step = 16.0 / n as f64;
    let points: Vec<(f64, f64, f64)> = (0..n)
        .map(|i| {
            let z = -8.0 + step * (f64::from(i) + 0.5);
            let d = place.deviation;
            let s = 100.0 * (d * z - 0.5 * d * d).exp();
            let mass = cdf(z + step / 2.0) - cdf(z - step / 2.0);
            (s, mass, mass * factor(s))
        })
        .collect();
    let later = place.endings[0].ends.years_until(place.endings[1].ends);
    for row in rows.iter().step_by(3) {
        let contracts: i64 = row
            .legs
            .iter()
            .filter(|(i, _)| i.option().is_some())
            .map(|(_, q)| q.abs())
            .sum();
        let cost = row.net.to_f64() + 0.65 * contracts as f64;
        let profit = |s: f64| {
            let leg = |(i, q): &(Instrument, i64)| {
                let Some(c) = i.option() else {
                    return s * *q as f64;
                };
                let (k, q) = (c.strike.to_f64(), *q as f64 * 100.0);
                if c.expiry == day() {
                    return q * c.kind.intrinsic(s, k);
                }
                let v = 0.2 * later.sqrt();
                let d1 = (s / k).ln() / v + v / 2.0;
                let call = s * cdf(d1) - k * cdf(d1 - v);
                q * match c.kind {
                    Kind::Call => call,
                    Kind::Put => call - s + k,
                }
            };
            row.legs.iter().map(leg).sum::<f64>() - cost
        };
        let mut each: Vec<(f64, f64, f64)> = points
            .iter()
            .map(|(s, market, own)| (profit(*s), *market, *own))
            .collect();
        let told = legs_text(&row.legs);
        let x = &row.measured;
        let size = x.least.map_or(5_000.0, |l| l.abs().max(20.0));
        let mean =
            |of: fn(&(f64, f64, f64)) -> f64| -> f64 { each.iter().map(|p| p.0 * of(p)).sum() };
        assert!(
            (x.market_mean - mean(|p| p.1)).abs() < 1e-4 * size,
            "{told}: {x:?}"
        );
        assert!(
            (x.own_mean - mean(|p| p.2)).abs() < 3e-4 * size,
            "{told}: {x:?}"
        );
        let chance = |of: fn(&(f64, f64, f64)) -> f64| -> f64 {
            each.iter().filter(|p| p.0 > 1e-9).map(of).sum()
        };
        assert!(
            (x.market_chance - chance(|p| p.1)).abs() < 4e-4,
            "{told}: {x:?}"
        );
        assert!(
            (x.own_chance - chance(|p| p.2)).abs() < 2e-3,
            "{told}: {x:?}"
        );
        each.sort_by(|a, b| a.0.total_cmp(&b.0));
        let (mut left, mut worst) = (0.05, 0.0);
        for (p, _, own) in &each {
            let take = own.min(left);
            worst += p * take / 0.05;
            left -= take;
        }
        assert!(
            (x.own_worst - worst).abs() < 1e-3 * size,
            "{told}: {} {worst}",
            x.own_worst
        );
        let (top, bottom) = (each[each.len() - 1].0, each[0].0);
        assert!(
            x.most.is_none_or(|m| m > top - 1e-2 * size),
            "{told}: {x:?} {top}"
        );
        assert!(
            x.least.is_none_or(|l| l < bottom + 1e-2 * size),
            "{told}: {x:?} {bottom}"
        );
        for even in &x.evens {
            assert!(
                profit(*even).abs() < 1e-4 * size.max(100.0),
                "{told}: {even}"
            );
        }
    }
}

/// The price of a package lies between its middle and its far side, rounded against who buys it; a leg
/// that nobody bids for is sold at nothing.
#[test]
fn a_package_is_rounded_against_the_trader() {
    let mut place = Place::new(&[]);
    for q in &mut place.endings[0].options {
        if q.contract.label().contains("110") {
            q.bid = Price::ZERO;
            q.ask = price("0.05");
        }
    }
    let at = |part: &str| {
        let what = ScoutAsked {
            price: part.parse().unwrap(),
            width: Some(5.0),
            ..asked(&[Family::Vertical])
        };
        let (_, rows) = place.found(&what);
        let wanted = |r: &&JudgedPack| {
            let t = legs_text(&r.legs);
            t.starts_with("+1 TEST  310418C00105000; -1 TEST  310418C00110000")
        };
        rows.iter().find(wanted).unwrap().clone()
    };
    let q = place.endings[0]
        .options
        .iter()
        .find(|q| q.contract == contract("105C", day()))
        .unwrap();
    let middle = (q.bid + q.ask).half();
    // The middle of the sold one is half its ask: 0.025, so the sum is rounded up by half a cent.
    assert_eq!(at("0").price, middle - price("0.02"));
    assert_eq!(at("1").price, q.ask);
    let far = at("1");
    assert_eq!(far.net, far.price.times(100));
    assert_eq!(far.capital, far.net, "a debit ties up itself");
    let between = at("0.37").price;
    let exact = middle.to_f64() - 0.025 + 0.37 * (q.ask.to_f64() - middle.to_f64() + 0.025);
    assert_eq!(between, Price::cents((exact * 100.0 - 1e-9).ceil() as i64));
}

/// Limits rule out what breaks them, each counted at the first, and the rest is in order: held against
/// all candidates and their figures one by one.
#[test]
fn limits_rule_out_what_breaks_them() {
    let region = Region {
        low: 97.0,
        high: 104.0,
        sure: 0.8,
    };
    let place = Place::new(&[region]);
    let families: Vec<Family> = FAMILIES.iter().map(|(f, _)| *f).collect();
    let account = AccountRules {
        kind: AccountKind::Margin,
        level: 3,
    };
    let limits = ScoutLimits {
        legs: Some(3),
        pays: Some(false),
        open_interest: 95,
        unlimited: false,
        account: Some(account),
        capital: Some("900".parse().unwrap()),
        market_width: Some(0.3),
        max_loss: Some("700".parse().unwrap()),
        rule: Some("500".parse().unwrap()),
        chance: Some(0.6),
        lean: Some(LeanBand {
            now: 10.0,
            of_delta: 0.5,
            from: -5.0,
            to: 20.0,
        }),
    };
    let what = ScoutAsked {
        limits: limits.clone(),
        rank: Rank::By(RankMeasure::Chance),
        ..asked(&families)
    };
    let watched = std::cell::Cell::new(0);
    let found = best(
        &place.scouted(),
        &what,
        usize::MAX,
        &|| false,
        &mut |p, _| {
            assert!(p.done <= p.of);
            watched.set(watched.get() + 1);
        },
    )
    .unwrap();
    assert!(watched.get() > 10 && !found.stopped);
    let (_, all) = place.found(&asked(&families));
    assert_eq!(found.judged, all.len());
    let quote = |i: &Instrument| {
        let options = place.endings.iter().flat_map(|e| &e.options);
        options
            .clone()
            .find(|q| Instrument::from(q.contract.clone()) == *i)
    };
    let mut out = std::collections::BTreeMap::new();
    let mut left: Vec<&JudgedPack> = Vec::new();
    for pack in &all {
        let x = &pack.measured;
        let (mut open, mut wide, mut delta) = (i64::MAX, 0.0, 0.0);
        for (i, n) in &pack.legs {
            let n = *n as f64;
            if let Some(q) = quote(i) {
                open = open.min(q.open_interest);
                wide += 100.0 * n.abs() * (q.ask - q.bid).to_f64();
                delta += 100.0 * n * q.delta;
            } else {
                delta += n;
            }
        }
        let after = 10.0 + 0.5 * delta;
        // Level 3 wants each sold call covered by one that ends no earlier, or by shares; a sold put on
        // shares may be secured by its strike in cash.
        let first = place.endings[0].ends;
        let mut sums = [0, 0];
        for (i, n) in &pack.legs {
            match i.option() {
                Some(c) if c.kind == Kind::Call => {
                    sums[usize::from(place.u.expiry_moment(c) != first)] += n;
                }
                Some(_) => {}
                None => sums[1] += n / 100,
            }
        }
        let level = sums[1] >= 0 && sums[0] + sums[1] >= 0;
        let least = x.least.map_or(f64::INFINITY, |l| -l);
        let broken = [
            (ScoutLimit::Legs, pack.legs.len() > 3),
            (ScoutLimit::Pays, pack.net > Money::ZERO),
            (ScoutLimit::OpenInterest, open < 95),
            (ScoutLimit::Unlimited, x.least.is_none()),
            (ScoutLimit::Lean, !(-5.0..=20.0).contains(&after)),
            (ScoutLimit::Level, !level),
            (ScoutLimit::Capital, pack.capital.to_f64() > 900.0),
            (
                ScoutLimit::MarketWidth,
                wide > 0.3 * pack.capital.to_f64() + 1e-12,
            ),
            (ScoutLimit::MaxLoss, least > 700.0),
            (ScoutLimit::Rule, least > 500.0),
            (ScoutLimit::Chance, x.own_chance < 0.6),
        ];
        match broken.iter().find(|(_, b)| *b) {
            Some((limit, _)) => *out.entry(*limit).or_insert(0_usize) += 1,
            None => left.push(pack),
        }
    }
    assert_eq!(found.ruled_out, out.into_iter().collect::<Vec<_>>());
    // What is left is there once, alone or as one that is nearly like another.
    let told: usize = found.rows.iter().map(|r| 1 + r.like).sum();
    assert_eq!(told, left.len());
    assert!(found.rows.len() > 3 && found.rows.iter().any(|r| r.like > 0));
    for pair in found.rows.windows(2) {
        assert!(pair[0].rank >= pair[1].rank);
    }
    for row in &found.rows {
        assert!(left.contains(&&row.pack), "{}", legs_text(&row.pack.legs));
        assert!((row.rank - row.pack.measured.own_chance).abs() < 1e-12);
    }
    // A call spread and the put spread of the same strikes make the same: one row.
    let debit = ScoutAsked {
        limits: ScoutLimits::default(),
        width: Some(5.0),
        ..asked(&[Family::Vertical])
    };
    let found = best(&place.scouted(), &debit, 100, &|| false, &mut |_, _| {}).unwrap();
    assert_eq!(found.rows.len(), 2 * 4 * 2);
    assert!(found.rows.iter().all(|r| r.like == 1));
    // Weights are sums of the measures, fractions in percent.
    let weighted = ScoutAsked {
        rank: Rank::Weighted([0.0, 2.0, 0.0, 0.0, 0.0, 3.0]),
        ..debit.clone()
    };
    let found = best(&place.scouted(), &weighted, 5, &|| false, &mut |_, _| {}).unwrap();
    for row in &found.rows {
        let x = &row.pack.measured;
        let wanted = 200.0 * x.own_chance + 3.0 * x.own_mean / 38.0;
        assert!((row.rank - wanted).abs() < 1e-9 * wanted.abs());
    }
    // Stopped at once it has looked at nothing and says so.
    let found = best(&place.scouted(), &debit, 5, &|| true, &mut |_, _| {}).unwrap();
    assert!(found.stopped && found.judged == 0 && found.rows.is_empty());
}
