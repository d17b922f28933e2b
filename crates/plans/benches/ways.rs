//! Ways out of a pressed condor: every move judged.
#![allow(clippy::unwrap_used, missing_docs)]

use std::hint::black_box;

use criterion::{Criterion, criterion_group, criterion_main};
use desk::Money;
use plans::rework;

#[path = "../../desk/tests/common/mod.rs"]
mod common;
#[path = "../tests/rules/field.rs"]
mod field;
use common::*;
use field::field_of;

/// Every move of a pressed condor over seven expirations of 81 strikes each.
fn ways_out(c: &mut Criterion) {
    let u = underlying();
    let dates = [(4, 18), (4, 25), (5, 2), (5, 9), (5, 16), (6, 20), (7, 18)];
    let dates = dates.map(|(month, day)| jiff::civil::date(2031, month, day));
    let field = field_of(&u, &dates, 0.5);
    let held = structure("+2 85P -2 90P -2 105C +2 110C");
    let limits = rework::Limits::default();
    let asked = rework::Asked {
        held: &held,
        received: desk::Received::counted(Money::whole(200)),
        at: rework::At::Middle,
        limits: &limits,
        measure: rework::Measure::Chance,
    };
    let looked = rework::ways(&field, &asked).unwrap().looked;
    c.bench_function(&format!("ways out of a condor, {looked} judged"), |b| {
        b.iter(|| rework::ways(black_box(&field), &asked))
    });
}

criterion_group!(benches, ways_out);
criterion_main!(benches);
