//! One evaluation of a four-leg draft: two curves of 200 points, Greeks, margin, words.
#![allow(clippy::unwrap_used)]

use std::hint::black_box;

use criterion::{Criterion, criterion_group, criterion_main};
use desk::*;

#[path = "../tests/common/mod.rs"]
mod common;
use common::*;

fn evaluation(c: &mut Criterion) {
    let u = underlying();
    let quotes = [("0.55", "0.65"), ("1.55", "1.65"), ("1.65", "1.75"), ("0.65", "0.75")];
    for (what, yearly) in [("no dividend", 0.0), ("dividend yield 3.8 %, all four legs exercised early", 0.038)] {
        let u = Underlying { dividend_yield: yearly, ..u.clone() };
        let market = MarketView {
            at: Moment::at(jiff::civil::date(2031, 3, 11), 10, 42),
            underlying: &u,
            spot: price("100.00"),
            legs: quotes.iter().map(|(b, a)| LegMarket { quote: quote(b, a), vol: 0.25, theoretical: 0.0, rate: 0.04 }).collect(),
            horizon_vol: 0.25,
            events: Vec::new(),
        };
        let p = Proposal { structure: structure("+1 90P -1 95P -1 105C +1 110C"), price: None, range: None, closing: false };
        let account = AccountView { cash: Money::whole(25_000), ..AccountView::default() };
        c.bench_function(&format!("evaluate an American iron condor, {what}"), |b| b.iter(|| evaluate(black_box(&p), &market, &account)));
    }
}

criterion_group!(benches, evaluation);
criterion_main!(benches);
