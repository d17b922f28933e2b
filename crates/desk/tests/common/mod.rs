//! Short ways to write legs and markets in tests.
#![allow(dead_code, clippy::unwrap_used)]

use desk::*;
use jiff::civil::{Date, date};

pub fn day() -> Date {
    date(2031, 4, 18)
}

pub fn price(text: &str) -> Price {
    text.parse().unwrap()
}

pub fn contract(text: &str, expiry: Date) -> Contract {
    let (strike, kind) = text.split_at(text.len() - 1);
    let kind = if kind == "C" { Kind::Call } else { Kind::Put };
    Contract {
        root: "TEST".into(),
        expiry,
        kind,
        strike: price(strike),
    }
}

/// "+1 95P -2 100C" → legs of one expiration.
pub fn structure(text: &str) -> Holding {
    on(text, day())
}

pub fn on(text: &str, expiry: Date) -> Holding {
    let words: Vec<&str> = text.split_whitespace().collect();
    let legs = words
        .chunks(2)
        .map(|w| Leg::option(contract(w[1], expiry), w[0].parse().unwrap()));
    Holding::new(legs)
}

/// "-1 95P @1.60, +1 90P @0.70" → structure and the cash received for it at ×100.
pub fn priced(text: &str) -> (Holding, Money) {
    let mut legs = Vec::new();
    let mut cash = Money::ZERO;
    for part in text.split(',') {
        let w: Vec<&str> = part.split_whitespace().collect();
        let quantity: i64 = w[0].parse().unwrap();
        cash -= price(w[2].trim_start_matches('@')).times(quantity * 100);
        legs.push(Leg::option(contract(w[1], day()), quantity));
    }
    (Holding::new(legs), cash)
}

pub fn underlying() -> Underlying {
    Underlying {
        symbol: "TEST".into(),
        name: "Testing Works".into(),
        kind: UnderlyingKind::Shares,
        style: quant::Style::American,
        settlement: Settlement::Delivery,
        multiplier: 100,
        ticks: TickTable::split(Price::cents(1), Price::cents(300), Price::cents(5)),
        package_tick: Price::cents(1),
        own_tick: Price::cents(1),
        style_of_price: PriceStyle::Decimal,
        margin_class: MarginClass::Equity,
        listing: ListingRule {
            weekly_on: &[jiff::civil::Weekday::Friday],
            weeklies: 4,
            monthlies: 3,
            quarter_months: 1,
            januaries: 1,
            ..ListingRule::default()
        },
        own_dates: Vec::new(),
        last_session: None,
        session: None,
        weekly_root: None,
        opening_root: None,
        beta: 1.0,
    }
}

pub fn quote(bid: &str, ask: &str) -> Quote {
    Quote {
        bid: price(bid),
        ask: price(ask),
        bid_size: Some(10),
        ask_size: Some(10),
        volume: Some(5),
        open_interest: Some(500),
    }
}

/// A market at 100.00 around quotes, volatility 25 %, with an event inside.
pub fn market(u: &Underlying, quotes: &[(&str, &str)]) -> MarketView<'static> {
    let legs = quotes
        .iter()
        .map(|(bid, ask)| LegMarket {
            quote: quote(bid, ask),
            vol: 0.25,
            theoretical: 0.0,
            rate: 0.04,
        })
        .collect();
    MarketView {
        at: Moment::at(date(2031, 3, 11), 10, 42),
        underlying: Box::leak(Box::new(u.clone())),
        spot: price("100.00"),
        legs,
        horizon_vol: 0.25,
        carry: Carry::Dividends(Vec::new()),
        events: vec![Event {
            date: date(2031, 3, 20),
            kind: EventKind::News,
            what: "results".into(),
        }],
        cautions: Vec::new(),
    }
}

/// A curve at a price, straight between its points.
pub fn at(prices: &[f64], values: &[f64], price: f64) -> f64 {
    let i = prices
        .partition_point(|p| *p < price)
        .clamp(1, prices.len() - 1);
    let share = (price - prices[i - 1]) / (prices[i] - prices[i - 1]);
    values[i - 1] + share * (values[i] - values[i - 1])
}

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
