//! What one option costs to price. Run with `cargo bench -p quant`.
use std::hint::black_box;

use criterion::{Criterion, criterion_group, criterion_main};
use quant::{Accuracy, Kind, Model, Style, Terms, european, implied_vol};

fn pricing(c: &mut Criterion) {
    let t = Terms { kind: Kind::Put, style: Style::European, strike: 100.0, time: 0.1, rate: 0.04, carry_yield: 0.01, vol: 0.3 };
    let american = Terms { style: Style::American, ..t };
    c.bench_function("european price and Greeks", |b| b.iter(|| european(black_box(&t), black_box(98.0))));
    c.bench_function("european implied volatility", |b| b.iter(|| implied_vol(black_box(&t), 98.0, 5.0)));
    for accuracy in [Accuracy::Interactive, Accuracy::Reference] {
        c.bench_function(&format!("american solve and price, {accuracy:?}"), |b| {
            b.iter(|| Model::new(black_box(&american), accuracy).map(|m| m.price(98.0)))
        });
    }
    let model = Model::new(&american, Accuracy::Interactive).ok();
    c.bench_function("american next spot", |b| b.iter(|| model.as_ref().map(|m| m.price(black_box(97.0)))));
    c.bench_function("american price and Greeks", |b| b.iter(|| Model::new(black_box(&american), Accuracy::Interactive).map(|m| m.value(98.0))));
    c.bench_function("american implied volatility", |b| b.iter(|| implied_vol(black_box(&american), 98.0, 5.0)));
}

criterion_group!(benches, pricing);
criterion_main!(benches);
