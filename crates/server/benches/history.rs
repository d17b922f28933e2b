//! What history costs: the start of a file with 60,000 orders and as many lines of its ledger, and
//! a command in it beside one in a new file. Prints; run by `cargo xtask measure`.
#![allow(clippy::unwrap_used, clippy::print_stdout, missing_docs)]

use std::path::Path;
use std::time::{Duration, Instant};

use desk::{
    FillLeg, Instrument, Leg, Link, Moment, Money, Package, Price, Pricing, Purpose, Request,
    TimeInForce,
};
use engine::Execution;
use server::{Beginning, Desk, Settings, open};

const EXECUTIONS: usize = 60_000;
const COMMANDS: usize = 400;

fn own() -> Instrument {
    Instrument::Underlying("NMOU".into())
}

/// Bought and sold in turns, some a session from June 2028 on.
fn executions() -> Vec<Execution> {
    let first = Moment::at(jiff::civil::date(2028, 6, 5), 10, 0);
    let one = |i: usize| Execution {
        name: format!("H-{i}"),
        at: first.plus_millis(i as i64 * 1_400_000),
        symbol: "NMOU".into(),
        legs: vec![FillLeg {
            instrument: own(),
            quantity: if i.is_multiple_of(2) { 1 } else { -1 },
            price: Price::cents(10_000 + (i % 977) as i64),
            terms: None,
        }],
        fees: Money::ZERO,
    };
    (0..EXECUTIONS).map(one).collect()
}

fn opened(path: &Path) -> (Desk, Duration) {
    let asked = Settings {
        seed: 7,
        ..Settings::default()
    };
    let start = Instant::now();
    let desk = open(path, Beginning::Empty, &asked).unwrap();
    (desk, start.elapsed())
}

/// Places an order far away and cancels it, each a command that is kept on disk.
fn commands(desk: &mut Desk) -> Vec<Duration> {
    let unit = Package::new(vec![Leg {
        instrument: own(),
        quantity: 1,
    }])
    .unwrap();
    let mut took = Vec::with_capacity(2 * COMMANDS);
    for i in 0..COMMANDS {
        let request = Request {
            client_id: format!("m-{i}"),
            symbol: "NMOU".into(),
            unit: unit.clone(),
            quantity: 1,
            pricing: Pricing::Limit(Price::cents(5_000)),
            trigger: None,
            link: Link::default(),
            time_in_force: TimeInForce::Day,
            purpose: Purpose::Open,
            closing: Vec::new(),
        };
        let begun = Instant::now();
        let order = desk.run(|engine| engine.place(request)).unwrap();
        took.push(begun.elapsed());
        let begun = Instant::now();
        desk.run(|engine| engine.cancel(order.id)).unwrap();
        took.push(begun.elapsed());
    }
    took.sort();
    took
}

fn tell(name: &str, took: &[Duration]) {
    println!(
        "{name}: command median {:.2?}, 99 % under {:.2?}",
        took[took.len() / 2],
        took[took.len() * 99 / 100]
    );
}

fn main() {
    // `cargo test --benches` asks for no measure.
    if !std::env::args().any(|a| a == "--bench") {
        return;
    }
    let folder = tempfile::tempdir().unwrap();
    let (mut new, _) = opened(&folder.path().join("new.db"));
    tell("new file", &commands(&mut new));
    let path = folder.path().join("old.db");
    let (mut old, _) = opened(&path);
    let booked = old
        .run(|engine| engine.import_history(&executions()))
        .unwrap();
    println!("{} executions are booked", booked.unwrap());
    drop(old);
    let (mut old, start) = opened(&path);
    println!(
        "{} orders, {} lines of the ledger: start {start:.2?}",
        old.state().orders.len(),
        old.state().account.entries().len()
    );
    tell("old file", &commands(&mut old));
}
