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
