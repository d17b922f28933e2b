//! Chains and fields of several expirations that the tests and benches plan on.
#![allow(dead_code)]

use desk::*;
use jiff::civil::{Date, date};
use plans::{Candidate, Candidates, rework};

use crate::common::*;

/// A chain whose call deltas fall from 0.95 at 80 to 0.05 at 120.
pub fn candidates(expiry: jiff::civil::Date) -> Candidates {
    by_steps(expiry, 2.5)
}

/// The same with strikes so far apart.
fn by_steps(expiry: jiff::civil::Date, step: f64) -> Candidates {
    let strikes = (0..=(40.0 / step) as i32).map(|i| 80.0 + step * f64::from(i));
    let listed = strikes.flat_map(|k| {
        let call = 0.95 - 0.9 * (k - 80.0) / 40.0;
        [("C", call), ("P", call - 1.0)].map(|(kind, delta)| Candidate {
            contract: contract(&format!("{k}{kind}"), expiry),
            delta,
        })
    });
    Candidates {
        spot: 100.0,
        deviation: 0.08,
        listed: listed.collect(),
    }
}

/// Strikes 80 to 120 by 2.50 in three expirations, priced at 25 % without interest, quoted 0.10 wide.
pub fn field(u: &Underlying) -> rework::Field<'_> {
    let dates = [day(), date(2031, 5, 16), date(2031, 6, 20)];
    field_of(u, &dates, 2.5)
}

/// The same with other expirations, and strikes so far apart.
pub fn field_of<'a>(u: &'a Underlying, dates: &[Date], step: f64) -> rework::Field<'a> {
    let at = Moment::at(date(2031, 3, 11), 10, 42);
    let carry: &Carry = Box::leak(Box::new(Carry::Dividends(Vec::new())));
    let dates = dates.iter().map(|expiry| {
        let expiry = *expiry;
        let ends = u.expiry_moment(&contract("100C", expiry));
        let years = at.years_until(ends);
        let priced = by_steps(expiry, step).listed.into_iter().map(|c| {
            let market = PricedIn {
                rate: 0.0,
                carry,
                spot: 100.0,
                vol: 0.25,
            };
            let value = Priced::new(&c.contract, u, at, &market).unwrap();
            let (theoretical, greeks) = (value.price(100.0), value.value(100.0).unwrap());
            let ticks = (theoretical * 20.0).round() as i64 * 5;
            let market = LegMarket {
                quote: Quote {
                    bid: Price::cents((ticks - 5).max(0)),
                    ask: Price::cents(ticks + 5),
                    ..quote("0", "1")
                },
                vol: 0.25,
                theoretical,
                rate: 0.0,
            };
            let delta = greeks.delta;
            (Candidate { delta, ..c }, market)
        });
        let (listed, markets): (Vec<Candidate>, Vec<LegMarket>) = priced.unzip();
        rework::Dated {
            candidates: Candidates {
                spot: 100.0,
                deviation: 0.25 * years.sqrt(),
                listed,
            },
            markets,
            ends,
            days: at.days_until(expiry),
            law: quant::Lognormal::new(100.0, 0.0, 0.25, years).unwrap(),
        }
    });
    let fees = Fees {
        option: "0.65".parse().unwrap(),
        ..Fees::default()
    };
    let of = (u, price("100.00"), carry);
    rework::Field::new(at, of, fees, (4.0, 0.5), dates.collect())
}
