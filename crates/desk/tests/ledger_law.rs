//! 100,000 random operations: the journal, the lots, the cash and the margin against a second
//! account that is kept in another way.
#![allow(clippy::unwrap_used)]

mod common;

use std::collections::BTreeMap;

use common::*;
use desk::calendar::next_session;
use desk::*;

const OPERATIONS: usize = 100_000;

/// Xorshift (Marsaglia 2003): the same stream on every machine.
struct Draws(u64);

impl Draws {
    fn next(&mut self) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        self.0
    }

    fn below(&mut self, n: u64) -> u64 {
        self.next() % n
    }

    fn between(&mut self, low: i64, high: i64) -> i64 {
        low + self.below((high - low + 1) as u64) as i64
    }
}

/// The second way: signed quantities and what they cost in all, in units of 1e-8 price × units,
/// nothing of lots or journals.
#[derive(Default)]
struct Shadow {
    cash: i128,
    fees: i128,
    paid_in: i128,
    held: BTreeMap<Instrument, i64>,
}

const UNIT: i128 = 100_000_000 / 10_000;

impl Shadow {
    fn hold(&mut self, instrument: &Instrument, quantity: i64) {
        let held = self.held.entry(instrument.clone()).or_default();
        *held += quantity;
        if *held == 0 {
            self.held.remove(instrument);
        }
    }

    fn pay(&mut self, price: Price, units: i64) {
        let product = i128::from(price.raw()) * i128::from(units);
        assert_eq!(
            product % UNIT,
            0,
            "the test trades on ticks whose money is exact"
        );
        self.cash += product / UNIT;
    }
}

fn future() -> Underlying {
    Underlying {
        symbol: "FUT".into(),
        kind: UnderlyingKind::Future,
        multiplier: 1_000,
        ..underlying()
    }
}

/// Fills (opening, closing, across zero, in several legs), exercises and assignments, settlements,
/// dividends, daily settlements of a future and deposits, in any order; after every operation cash,
/// quantities and fees agree with the second account, and every so often the whole journal, the
/// lots, the campaigns and the parts of the margin add up to the last digit.
#[test]
fn a_hundred_thousand_operations_reconcile_to_the_cent() {
    let (shares, bond) = (underlying(), future());
    let strikes = ["90", "95", "100", "105", "110"];
    let mut draws = Draws(0x5eed_2031_0311);
    let (mut account, mut shadow) = (Account::default(), Shadow::default());
    let mut at = Moment::at(jiff::civil::date(2031, 3, 11), 10, 0);
    let mut expiry = day();
    let (mut order, mut last_bond) = (0_u64, price("111.50"));
    let mut bonds: Vec<(i64, Price)> = Vec::new();
    for operation in 0..OPERATIONS {
        at = at.plus_millis(draws.between(1_000, 60_000));
        let option = |draws: &mut Draws| {
            let c = contract(
                &format!(
                    "{}{}",
                    strikes[draws.below(5) as usize],
                    if draws.below(2) == 0 { "C" } else { "P" }
                ),
                expiry,
            );
            Instrument::Option(c)
        };
        let cents = |draws: &mut Draws, low, high| Price::cents(draws.between(low, high));
        match draws.below(100) {
            0..=69 => {
                order += 1;
                let count = 1 + draws.below(4);
                let mut legs: Vec<FillLeg> = Vec::new();
                for _ in 0..count {
                    let (instrument, quantity, price) = if draws.below(6) == 0 {
                        (
                            Instrument::Underlying("TEST".into()),
                            draws.between(-150, 150),
                            cents(&mut draws, 8_000, 12_000),
                        )
                    } else {
                        (
                            option(&mut draws),
                            draws.between(-5, 5),
                            cents(&mut draws, 1, 1_500),
                        )
                    };
                    if quantity != 0 && !legs.iter().any(|l| l.instrument == instrument) {
                        legs.push(FillLeg {
                            instrument,
                            quantity,
                            price,
                        });
                    }
                }
                let fees = Money::from_raw(draws.between(0, 99) * 100);
                for l in &legs {
                    shadow.pay(-l.price, l.quantity * shares.units(&l.instrument));
                    shadow.hold(&l.instrument, l.quantity);
                }
                shadow.cash -= i128::from(fees.raw());
                shadow.fees += i128::from(fees.raw());
                // Some name a campaign that is open, some one that has long ended.
                let closes = (draws.below(2) == 0).then(|| 1 + draws.below(order));
                account.fill(
                    &Fill {
                        order,
                        at,
                        packages: 1,
                        price: Price::ZERO,
                        legs,
                        fees,
                    },
                    closes,
                    &shares,
                    "trade".into(),
                );
            }
            70..=77 => {
                // A future: its gains are cash at its close and at every settlement.
                order += 1;
                let (quantity, traded) = (
                    draws.between(-3, 3),
                    Price::cents(draws.between(10_900, 11_400)),
                );
                if quantity != 0 {
                    let instrument = Instrument::Underlying("FUT".into());
                    shadow.hold(&instrument, quantity);
                    let mut left = quantity;
                    for (n, paid) in &mut bonds {
                        if left != 0 && n.signum() == -left.signum() {
                            let closed = left.abs().min(n.abs()) * n.signum();
                            shadow.pay(traded - *paid, closed * bond.multiplier);
                            *n -= closed;
                            left += closed;
                        }
                    }
                    bonds.retain(|(n, _)| *n != 0);
                    if left != 0 {
                        bonds.push((left, traded));
                    }
                    let legs = vec![FillLeg {
                        instrument,
                        quantity,
                        price: traded,
                    }];
                    account.fill(
                        &Fill {
                            order,
                            at,
                            packages: 1,
                            price: traded,
                            legs,
                            fees: Money::ZERO,
                        },
                        None,
                        &bond,
                        "future".into(),
                    );
                }
            }
            78..=83 => {
                last_bond =
                    Price::cents(last_bond.raw() / Price::cents(1).raw() + draws.between(-30, 30));
                for (n, paid) in &mut bonds {
                    shadow.pay(last_bond - *paid, *n * bond.multiplier);
                    *paid = last_bond;
                }
                account.settle_futures(at, "FUT", last_bond, "day".into());
            }
            84..=88 => {
                let Instrument::Option(c) = option(&mut draws) else {
                    continue;
                };
                let held = account.held(&c.clone().into());
                if held == 0 {
                    continue;
                }
                let n = draws.between(1, held.abs()) * held.signum();
                let taken = n * 100 * if c.kind == Kind::Call { 1 } else { -1 };
                assert!(
                    account
                        .deliver(at, &c, n, &shares, "delivered".into())
                        .is_some()
                );
                shadow.hold(&c.clone().into(), -n);
                shadow.hold(&Instrument::Underlying("TEST".into()), taken);
                shadow.pay(-c.strike, taken);
            }
            89..=92 => {
                let paid = cents(&mut draws, 1, 90);
                let held = shadow
                    .held
                    .get(&Instrument::Underlying("TEST".into()))
                    .copied()
                    .unwrap_or(0);
                shadow.pay(paid, held);
                account.dividend(at, "TEST", paid, "dividend".into());
            }
            93..=95 => {
                let amount = Money::from_raw(draws.between(1, 100_000) * 100);
                shadow.cash += i128::from(amount.raw());
                shadow.paid_in += i128::from(amount.raw());
                account.deposit(at, amount);
            }
            96..=98 => {
                let Instrument::Option(c) = option(&mut draws) else {
                    continue;
                };
                let value = cents(&mut draws, 0, 900);
                let held = shadow.held.get(&c.clone().into()).copied().unwrap_or(0);
                shadow.pay(value, held * 100);
                shadow.hold(&c.clone().into(), -held);
                account.settle(at, &c, value, "settled".into());
            }
            // The whole expiration ends, and the next begins.
            _ => {
                for c in account.expiring(expiry) {
                    let value = cents(&mut draws, 0, 500);
                    let held = shadow.held.get(&c.clone().into()).copied().unwrap_or(0);
                    shadow.pay(value, held * 100);
                    shadow.hold(&c.clone().into(), -held);
                    account.settle(at, &c, value, "ended".into());
                }
                expiry = next_session(expiry);
            }
        }
        assert_eq!(
            i128::from(account.balance(Book::Cash).raw()),
            shadow.cash,
            "cash after operation {operation}"
        );
        assert_eq!(
            i128::from(account.balance(Book::Fees).raw()),
            shadow.fees,
            "fees after operation {operation}"
        );
        assert_eq!(
            i128::from(-account.balance(Book::Capital).raw()),
            shadow.paid_in,
            "capital after operation {operation}"
        );
        if operation % 2_000 == 0 || operation + 1 == OPERATIONS {
            check(&account, &shadow, (operation, at), &shares);
        }
    }
}

fn check(
    account: &Account,
    shadow: &Shadow,
    (operation, at): (usize, Moment),
    shares: &Underlying,
) {
    assert_eq!(
        account.violations(),
        Vec::<String>::new(),
        "after operation {operation}"
    );
    let mut by_lots: BTreeMap<Instrument, i64> = BTreeMap::new();
    for lot in account.lots() {
        *by_lots.entry(lot.instrument.clone()).or_default() += lot.quantity;
    }
    by_lots.retain(|_, n| *n != 0);
    assert_eq!(
        by_lots, shadow.held,
        "quantities after operation {operation}"
    );
    // What came in is where it went: cash, what is held at cost, fees, and what was gained.
    let sum: Money = [
        Book::Cash,
        Book::Positions,
        Book::Realised,
        Book::Fees,
        Book::Capital,
    ]
    .map(|b| account.balance(b))
    .into_iter()
    .sum();
    assert_eq!(sum, Money::ZERO, "books after operation {operation}");
    // The margin of the lots is that of the quantities, its parts add up, and together never needs
    // more than one by one.
    let mark = |c: &Contract| Price::cents(20 + (c.strike.raw() / Price::cents(100).raw()) % 37);
    let mut from_lots = Holdings::default();
    for lot in account.lots() {
        match lot.instrument.option() {
            Some(c) => from_lots.add(MarginLeg {
                kind: c.kind,
                strike: c.strike,
                expiry: c.expiry,
                quantity: lot.quantity,
                mark: mark(c),
            }),
            None if lot.instrument == Instrument::Underlying("TEST".into()) => {
                from_lots.underlying += lot.quantity
            }
            None => {}
        }
    }
    let mut from_shadow = Holdings::default();
    for (instrument, n) in &shadow.held {
        match instrument.option() {
            Some(c) => from_shadow.add(MarginLeg {
                kind: c.kind,
                strike: c.strike,
                expiry: c.expiry,
                quantity: *n,
                mark: mark(c),
            }),
            None if *instrument == Instrument::Underlying("TEST".into()) => {
                from_shadow.underlying += n
            }
            None => {}
        }
    }
    let basis = MarginBasis::of(
        shares,
        price("100"),
        at,
        &Carry::Dividends(Vec::new()),
        AccountRules::default(),
        0.04,
    );
    let (a, b) = (
        requirement(&from_lots, &basis),
        requirement(&from_shadow, &basis),
    );
    assert_eq!(
        (a.total, a.collateral),
        (b.total, b.collateral),
        "margin after operation {operation}"
    );
    assert_eq!(
        a.parts.iter().map(|p| p.amount).sum::<Money>(),
        a.total,
        "parts after operation {operation}"
    );
    let alone: Money = from_lots
        .options
        .iter()
        .map(|l| {
            requirement(
                &Holdings {
                    options: vec![*l],
                    underlying: 0,
                },
                &basis,
            )
            .total
        })
        .sum::<Money>()
        + requirement(
            &Holdings {
                options: Vec::new(),
                underlying: from_lots.underlying,
            },
            &basis,
        )
        .total;
    assert!(
        a.total <= alone,
        "together {} and one by one {alone} after operation {operation}",
        a.total
    );
}
