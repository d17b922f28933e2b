//! How many options a second, on one thread, over the same random rows as a general-purpose
//! library's bench uses (a linear congruential generator and its seeds), so that both can be run in
//! one go and compared as ratios. Errors are against the reference setting, in parts of the
//! underlying.
//!
//!     cargo run --release -p quant --example rates

use std::hint::black_box;
use std::time::Instant;

use quant::{
    Accuracy, Chain, ChainError, Contract, Dividend, DividendModel, Kind, Model, Style, Terms,
    Underlying, Values, european, implied_vol, implied_vol_all, price_all, value_all, value_chain,
    value_chains, value_universe,
};

const SPOT: f64 = 100.0;

struct Generator(u64);

impl Generator {
    fn uniform(&mut self) -> f64 {
        self.0 = self
            .0
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 11) as f64 / 9_007_199_254_740_992.0
    }
}

fn rows(count: usize, style: Style) -> Vec<Terms> {
    let mut g = Generator(if style == Style::American { 77 } else { 42 });
    (0..count)
        .map(|i| {
            let strike = SPOT * (-0.45 + 0.9 * g.uniform()).exp();
            let time = (7.0 + g.uniform() * 720.0) / 365.0;
            let vol = 0.10 + 0.70 * g.uniform();
            let rate = 0.001 + 0.08 * g.uniform();
            let carry_yield = if i % 3 == 0 { 0.0 } else { 0.06 * g.uniform() };
            Terms {
                kind: if i % 2 == 1 { Kind::Call } else { Kind::Put },
                style,
                strike,
                time,
                rate,
                carry_yield,
                vol,
            }
        })
        .collect()
}

/// One by one.
fn rate<T>(name: &str, items: &[T], mut one: impl FnMut(&T) -> f64) {
    together(name, items.len(), || items.iter().map(&mut one).sum());
}

/// Median rate of five runs.
fn together(name: &str, count: usize, mut all: impl FnMut() -> f64) {
    let mut rates: Vec<f64> = (0..5)
        .map(|_| {
            let began = Instant::now();
            black_box(all());
            count as f64 / began.elapsed().as_secs_f64()
        })
        .collect();
    rates.sort_by(f64::total_cmp);
    println!(
        "{name:<42}{:>12.0} a second {:>10.2} µs each",
        rates[2],
        1e6 / rates[2]
    );
}

fn american(t: &Terms, accuracy: Accuracy) -> Model {
    Model::new(t, accuracy).unwrap_or_else(|e| panic!("{t:?}: {e}"))
}

fn main() {
    let europeans = rows(100_000, Style::European);
    rate("european price and 5 Greeks", &europeans, |t| {
        let v = european(t, SPOT);
        v.price + v.delta + v.gamma + v.theta_day + v.vega_point + v.rho_point
    });
    let paired: Vec<(Terms, f64)> = europeans.iter().map(|t| (*t, SPOT)).collect();
    together(
        "european price and 5 Greeks, together",
        paired.len(),
        || {
            quant::europeans(&paired)
                .iter()
                .map(|v| v.price + v.delta + v.gamma + v.theta_day + v.vega_point + v.rho_point)
                .sum()
        },
    );
    let priced: Vec<(Terms, f64)> = europeans
        .iter()
        .map(|t| (*t, european(t, SPOT).price))
        .filter(|(t, p)| {
            let forward =
                SPOT * (-t.carry_yield * t.time).exp() - t.strike * (-t.rate * t.time).exp();
            p - (t.kind.sign() * forward).max(0.0) > 1e-4
        })
        .collect();
    rate("european implied volatility", &priced, |(t, p)| {
        implied_vol(t, SPOT, *p).unwrap_or(0.0)
    });

    let asked: Vec<(Contract, f64)> = priced
        .iter()
        .map(|(t, p)| {
            (
                Contract {
                    terms: *t,
                    spot: SPOT,
                    on: Underlying::Spot,
                },
                *p,
            )
        })
        .collect();
    together("european implied volatility, together", asked.len(), || {
        implied_vol_all(&asked, Accuracy::Interactive)
            .iter()
            .flatten()
            .sum()
    });
    let mut worst = 0.0_f64;
    for ((t, _), vol) in priced
        .iter()
        .zip(implied_vol_all(&asked, Accuracy::Interactive))
    {
        worst = worst.max((vol.unwrap_or(f64::NAN) - t.vol).abs());
    }
    println!("  against the one that made the price: worst {worst:.1e}");

    let americans = rows(2_000, Style::American);
    let mut errors: Vec<f64> = americans
        .iter()
        .map(|t| {
            (american(t, Accuracy::Interactive).price(SPOT)
                - american(t, Accuracy::Reference).price(SPOT))
            .abs()
                / SPOT
        })
        .collect();
    errors.sort_by(f64::total_cmp);
    println!(
        "interactive against reference: median {:.1e}, 95 % {:.1e}, worst {:.1e}",
        errors[1_000], errors[1_900], errors[1_999]
    );
    rate("american price, interactive", &americans, |t| {
        american(t, Accuracy::Interactive).price(SPOT)
    });
    rate("american price, reference", &americans[..200], |t| {
        american(t, Accuracy::Reference).price(SPOT)
    });
    rate(
        "american price and 5 Greeks, interactive",
        &americans,
        |t| {
            american(t, Accuracy::Interactive)
                .value(SPOT)
                .map_or(0.0, |v| {
                    v.price + v.delta + v.gamma + v.theta_day + v.vega_point + v.rho_point
                })
        },
    );
    let contracts: Vec<Contract> = americans
        .iter()
        .map(|t| Contract {
            terms: *t,
            spot: SPOT,
            on: Underlying::Spot,
        })
        .collect();
    together(
        "american price together, interactive",
        contracts.len(),
        || {
            price_all(&contracts, Accuracy::Interactive)
                .iter()
                .flatten()
                .sum()
        },
    );
    for accuracy in [Accuracy::Interactive, Accuracy::Reference] {
        let some = if accuracy == Accuracy::Reference {
            &contracts[..200]
        } else {
            &contracts[..]
        };
        together(
            &format!("american price and 5 Greeks together, {accuracy:?}"),
            some.len(),
            || {
                value_all(some, accuracy)
                    .iter()
                    .flatten()
                    .map(|v| v.price)
                    .sum()
            },
        );
    }
    let universe: Vec<Contract> = contracts.iter().cycle().take(20_000).copied().collect();
    together("universe of 20,000, all cores", universe.len(), || {
        value_universe(&universe, Accuracy::Interactive)
            .iter()
            .flatten()
            .map(|v| v.price)
            .sum()
    });
    chains();
    let solved: Vec<(Terms, f64)> = americans
        .iter()
        .map(|t| (*t, american(t, Accuracy::Reference).price(SPOT)))
        .filter(|(t, p)| p - t.kind.intrinsic(SPOT, t.strike) > 1e-3)
        .collect();
    rate(
        "american implied volatility, interactive",
        &solved,
        |(t, p)| implied_vol(t, SPOT, *p).unwrap_or(0.0),
    );
    let asked: Vec<(Contract, f64)> = solved
        .iter()
        .map(|(t, p)| {
            (
                Contract {
                    terms: *t,
                    spot: SPOT,
                    on: Underlying::Spot,
                },
                *p,
            )
        })
        .collect();
    for (accuracy, count) in [
        (Accuracy::Interactive, asked.len()),
        (Accuracy::Reference, 200),
    ] {
        let some = &asked[..count];
        together(
            &format!("american implied volatility together, {accuracy:?}"),
            count,
            || implied_vol_all(some, accuracy).iter().flatten().sum(),
        );
        let vols = implied_vol_all(some, accuracy);
        let again: Vec<Contract> = some
            .iter()
            .zip(&vols)
            .map(|((c, _), v)| Contract {
                terms: Terms {
                    vol: v.unwrap_or(f64::NAN),
                    ..c.terms
                },
                ..*c
            })
            .collect();
        let back = price_all(&again, accuracy)
            .into_iter()
            .zip(some)
            .map(|(p, (_, want))| (p.unwrap_or(f64::NAN) - want).abs())
            .fold(0.0, f64::max);
        println!("  its price again: worst {back:.1e}");
    }
    for (accuracy, count) in [(Accuracy::Interactive, 100), (Accuracy::Reference, 20)] {
        rate(
            &format!("american, four cash dividends, {accuracy:?}"),
            &americans[..count],
            |t| {
                let paid: Vec<Dividend> = (1..=4)
                    .map(|i| Dividend {
                        time: t.time * f64::from(i) / 5.0,
                        amount: 0.6,
                    })
                    .collect();
                let t = Terms {
                    carry_yield: 0.0,
                    ..*t
                };
                DividendModel::new(&t, &paid, accuracy)
                    .and_then(|m| m.price(SPOT))
                    .unwrap_or(0.0)
            },
        );
    }
}

/// An underlying's expirations of 400 options each, fifty in all, with a smile.
fn chains() {
    let strikes: Vec<f64> = (0..400)
        .map(|i| SPOT * (0.6 + 0.8 * f64::from(i / 2) / 199.0))
        .collect();
    let kinds: Vec<Kind> = (0..400)
        .map(|i| if i % 2 == 0 { Kind::Call } else { Kind::Put })
        .collect();
    let vols: Vec<f64> = strikes
        .iter()
        .map(|k| 0.25 - 0.25 * (k / SPOT).ln() + 0.4 * (k / SPOT).ln().powi(2))
        .collect();
    let chain = |i: u32| Chain {
        style: Style::American,
        on: Underlying::Spot,
        spot: SPOT,
        time: f64::from(i) * 14.0 / 365.0,
        rate: 0.045,
        carry_yield: 0.013,
        kinds: &kinds,
        strikes: &strikes,
        vols: &vols,
    };
    let chains: Vec<Chain<'_>> = (1..=50).map(chain).collect();
    let sum = |v: Result<Values, ChainError>| v.map_or(f64::NAN, |v| v.price.iter().sum());
    together("chain of 400 american options, Greeks", 400, || {
        sum(value_chain(&chains[5], Accuracy::Interactive))
    });
    together("universe of 50 such chains, all cores", 20_000, || {
        value_chains(&chains, Accuracy::Interactive)
            .into_iter()
            .map(sum)
            .sum()
    });
    let (mut worst, mut worst_vega) = (0.0_f64, 0.0_f64);
    for chain in chains.iter().step_by(7) {
        let (quick, exact) = (
            value_chain(chain, Accuracy::Interactive),
            value_chain(chain, Accuracy::Reference),
        );
        if let (Ok(quick), Ok(exact)) = (quick, exact) {
            let apart = |a: &[f64], b: &[f64]| {
                a.iter()
                    .zip(b)
                    .map(|(a, b)| (a - b).abs())
                    .fold(0.0, f64::max)
                    / SPOT
            };
            worst = worst.max(apart(&quick.price, &exact.price));
            worst_vega = worst_vega.max(apart(&quick.vega_point, &exact.vega_point));
        }
    }
    println!(
        "  against the reference setting, in parts of the spot: price {worst:.1e}, vega \
         {worst_vega:.1e}"
    );
}
