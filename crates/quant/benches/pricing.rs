//! What options cost to price. Run with `cargo bench -p quant`.
use std::hint::black_box;

use criterion::{Criterion, criterion_group, criterion_main};
use quant::{
    Accuracy, Chain, Dividend, DividendModel, Kind, Model, PricedOn, Ssvi, Style, SurfaceChances,
    Terms, Vanilla, chance_of_reaching, european, europeans, implied_vol, implied_vol_all, touch,
    value_all, value_chain, value_chains, value_universe,
};

const EUROPEAN: Terms = Terms {
    kind: Kind::Put,
    style: Style::European,
    strike: 100.0,
    time: 0.1,
    rate: 0.04,
    carry_yield: 0.01,
    vol: 0.3,
};
const AMERICAN: Terms = Terms {
    style: Style::American,
    ..EUROPEAN
};
const SETTINGS: [Accuracy; 2] = [Accuracy::Interactive, Accuracy::Reference];

fn one_option(c: &mut Criterion) {
    c.bench_function("european price and Greeks", |b| {
        b.iter(|| european(black_box(&EUROPEAN), black_box(98.0)))
    });
    c.bench_function("european implied volatility", |b| {
        b.iter(|| implied_vol(black_box(&EUROPEAN), 98.0, 5.0))
    });
    for accuracy in SETTINGS {
        c.bench_function(&format!("american solve and price, {accuracy:?}"), |b| {
            b.iter(|| Model::new(black_box(&AMERICAN), accuracy).map(|m| m.price(98.0)))
        });
    }
    let model = Model::new(&AMERICAN, Accuracy::Interactive).ok();
    c.bench_function("american next spot", |b| {
        b.iter(|| model.as_ref().map(|m| m.price(black_box(97.0))))
    });
    c.bench_function("american price and Greeks", |b| {
        b.iter(|| Model::new(black_box(&AMERICAN), Accuracy::Interactive).map(|m| m.value(98.0)))
    });
    c.bench_function("american implied volatility", |b| {
        b.iter(|| implied_vol(black_box(&AMERICAN), 98.0, 5.0))
    });
    let dividends: Vec<Dividend> = (1..=4)
        .map(|i| Dividend {
            time: 0.2 * f64::from(i),
            amount: 0.6,
        })
        .collect();
    let year = Terms {
        time: 1.0,
        carry_yield: 0.0,
        ..AMERICAN
    };
    for accuracy in SETTINGS {
        c.bench_function(
            &format!("american with four cash dividends, {accuracy:?}"),
            |b| {
                b.iter(|| {
                    DividendModel::new(black_box(&year), &dividends, accuracy)
                        .and_then(|m| m.price(98.0))
                })
            },
        );
    }
}

/// Both kinds at 200 strikes with a smile.
fn arrays() -> (Vec<Kind>, Vec<f64>, Vec<f64>) {
    let strikes: Vec<f64> = (0..400).map(|i| 60.0 + 0.4 * f64::from(i / 2)).collect();
    let kinds = (0..400)
        .map(|i| if i % 2 == 0 { Kind::Call } else { Kind::Put })
        .collect();
    let vols = strikes
        .iter()
        .map(|k| 0.25 - 0.25 * (k / 100.0).ln() + 0.4 * (k / 100.0).ln().powi(2))
        .collect();
    (kinds, strikes, vols)
}

fn many_options(c: &mut Criterion) {
    let (kinds, strikes, vols) = arrays();
    let chain = |style, days: u32| Chain {
        style,
        on: PricedOn::Spot,
        spot: 100.0,
        time: f64::from(days) / 365.0,
        rate: 0.045,
        carry_yield: 0.013,
        kinds: &kinds,
        strikes: &strikes,
        vols: &vols,
    };
    let american = chain(Style::American, 84);
    c.bench_function("chain of 400, european, Greeks", |b| {
        b.iter(|| {
            value_chain(
                black_box(&chain(Style::European, 84)),
                Accuracy::Interactive,
            )
        })
    });
    c.bench_function("chain of 400, american, Greeks", |b| {
        b.iter(|| value_chain(black_box(&american), Accuracy::Interactive))
    });
    let contracts: Vec<Vanilla> = (0..400)
        .map(|i| Vanilla {
            terms: Terms {
                kind: kinds[i],
                strike: strikes[i],
                vol: vols[i],
                time: american.time,
                rate: 0.045,
                carry_yield: 0.013,
                ..AMERICAN
            },
            spot: 100.0,
            on: PricedOn::Spot,
        })
        .collect();
    c.bench_function("400 american one by one side by side, Greeks", |b| {
        b.iter(|| value_all(black_box(&contracts), Accuracy::Interactive))
    });
    let rows: Vec<(Terms, f64)> = contracts
        .iter()
        .map(|c| {
            (
                Terms {
                    style: Style::European,
                    ..c.terms
                },
                100.0,
            )
        })
        .collect();
    c.bench_function("400 european, Greeks", |b| {
        b.iter(|| europeans(black_box(&rows)))
    });
    for style in [Style::European, Style::American] {
        let priced: Vec<(Vanilla, f64)> = contracts
            .iter()
            .map(|c| Vanilla {
                terms: Terms { style, ..c.terms },
                ..*c
            })
            .filter_map(|c| Some((c, value_all(&[c], Accuracy::Interactive).pop()?.ok()?)))
            .filter(|(_, v)| v.vega_point > 1e-4)
            .map(|(c, v)| (c, v.price))
            .collect();
        c.bench_function(
            &format!("chain of {}, {style:?}, implied volatilities", priced.len()),
            |b| b.iter(|| implied_vol_all(black_box(&priced), Accuracy::Interactive)),
        );
    }
    let chains: Vec<Chain<'_>> = (1..=50).map(|i| chain(Style::American, 14 * i)).collect();
    let universe: Vec<Vanilla> = contracts.iter().cycle().take(20_000).copied().collect();
    let mut slow = c.benchmark_group("universe");
    slow.sample_size(10);
    slow.bench_function("20,000 american by expiration, Greeks, all cores", |b| {
        b.iter(|| value_chains(black_box(&chains), Accuracy::Interactive))
    });
    slow.bench_function("20,000 american unrelated, Greeks, all cores", |b| {
        b.iter(|| value_universe(black_box(&universe), Accuracy::Interactive))
    });
    slow.finish();
}

/// Half the most of a condor sold for 2, in 45 days.
fn chances(c: &mut Criterion) {
    let time = 45.0 / 365.0;
    let gain = |t: f64, prices: &[f64]| {
        let mut sum = vec![2.0; prices.len()];
        for (units, kind, strike) in [
            (1.0, Kind::Put, 90.0),
            (-1.0, Kind::Put, 95.0),
            (-1.0, Kind::Call, 105.0),
            (1.0, Kind::Call, 110.0),
        ] {
            let terms = Terms {
                kind,
                strike,
                time: time - t,
                vol: 0.25,
                ..EUROPEAN
            };
            let rows: Vec<(Terms, f64)> = prices.iter().map(|s| (terms, *s)).collect();
            for (sum, v) in sum.iter_mut().zip(europeans(&rows)) {
                *sum += units * v.price;
            }
        }
        sum
    };
    c.bench_function("touching one or two barriers", |b| {
        b.iter(|| touch(100.0, black_box(92.0), 108.0, 0.03, 0.25, time))
    });
    let ssvi = Ssvi::new(-0.6, 0.9, 0.5).ok();
    let smile = ssvi.and_then(|ssvi| {
        SurfaceChances::new(100.0, 0.03, move |k, t: f64| {
            ssvi.total_variance(k, 0.0625 * t)
        })
        .ok()
    });
    let mut slow = c.benchmark_group("grids");
    slow.sample_size(10);
    slow.bench_function("reaching half the most of four legs", |b| {
        b.iter(|| chance_of_reaching(100.0, 0.03, 0.25, time, gain, 1.0, None))
    });
    slow.bench_function("the same under the smile", |b| {
        b.iter(|| smile.as_ref().map(|s| s.reaching(time, gain, 1.0, None)))
    });
    slow.bench_function("touching under the smile", |b| {
        b.iter(|| {
            smile
                .as_ref()
                .map(|s| s.touch(black_box(92.0), 108.0, time))
        })
    });
    slow.finish();
}

criterion_group!(benches, one_option, many_options, chances);
criterion_main!(benches);
