//! Futures: each delivery month is an underlying of its own, with options on it.
//!
//! A month's symbol is that of the product, the letter of the month (F G H J K M N Q U V X Z,
//! January to December; common practice) and the last digit of the year. Options end in the month
//! before the month they are named for; those named for a month without a delivery are on the next
//! one that has.

use desk::calendar::{previous_session, session_on_or_before};
use desk::{
    ListingRule, MarginClass, Price, PriceStyle, ScanRates, Settlement, TickTable, Underlying,
    UnderlyingKind,
};
use jiff::ToSpan;
use jiff::civil::{Date, Weekday, date};
use quant::Style;

use crate::specs::{DEMO_DAY, FIRST, LAST, Spec};

/// A commodity or a bond, in all its months.
struct Product {
    code: &'static str,
    name: &'static str,
    /// Price of the nearest month at the demo moment.
    anchor: f64,
    beta: f64,
    vol: f64,
    smile: (f64, f64, f64),
    width: f64,
    activity: f64,
    /// The months of the year in which it is delivered, 1 to 12.
    months: &'static [i8],
    /// How many months before its delivery a contract is listed.
    ahead: i32,
    /// Log price a month farther out, and by calendar month.
    slope: f64,
    season: [f64; 12],
    multiplier: i64,
    /// Price scan as a fraction, volatility scan, least risk of a short option.
    scan: (f64, f64, f64),
    tick: Price,
    style: PriceStyle,
    /// The options' last day in a month.
    ends: fn(Date) -> Date,
    steps: &'static [(f64, i64)],
}

const LETTERS: [char; 12] = ['F', 'G', 'H', 'J', 'K', 'M', 'N', 'Q', 'U', 'V', 'X', 'Z'];
const MONTHS: [&str; 12] = [
    "Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec",
];

fn mid_month(first: Date) -> Date {
    session_on_or_before(date(first.year(), first.month(), 15))
}

/// The last Friday before the month's last session.
fn last_friday(first: Date) -> Date {
    let friday = first
        .nth_weekday_of_month(-1, Weekday::Friday)
        .unwrap_or(first);
    let before = if friday < last_session(plus_months(first, 1)) {
        friday
    } else {
        friday.checked_sub(7.days()).unwrap_or(friday)
    };
    session_on_or_before(before)
}

fn products() -> [Product; 3] {
    let flat = [0.0; 12];
    [
        Product {
            code: "BYQ",
            name: "Bay Crude",
            anchor: 68.40,
            beta: 0.3,
            vol: 0.31,
            smile: (-0.2, 0.6, 1.15),
            width: 0.9,
            activity: 1.5,
            months: &[1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12],
            ahead: 12,
            slope: -0.003,
            season: flat,
            multiplier: 1_000,
            scan: (0.09, 0.08, 90.0),
            tick: Price::cents(1),
            style: PriceStyle::Decimal,
            ends: mid_month,
            steps: &[(0.15, 50), (0.5, 100)],
        },
        Product {
            code: "WRY",
            name: "Winter Rye",
            anchor: 612.25,
            beta: 0.05,
            vol: 0.26,
            smile: (0.25, 0.6, 1.12),
            width: 0.7,
            activity: 0.8,
            months: &[3, 5, 7, 9, 12],
            ahead: 18,
            slope: 0.0015,
            season: [
                0.0, 0.0, 0.0, 0.004, 0.008, 0.006, -0.004, -0.016, -0.02, -0.012, -0.004, 0.0,
            ],
            multiplier: 50,
            scan: (0.07, 0.06, 50.0),
            tick: Price::from_raw(Price::SCALE / 8),
            style: PriceStyle::Eighths,
            ends: last_friday,
            steps: &[(0.15, 500), (0.45, 1_000)],
        },
        Product {
            code: "TNYB",
            name: "Ten-Year Bond",
            anchor: 111.75,
            beta: -0.12,
            vol: 0.058,
            smile: (-0.1, 0.6, 1.15),
            width: 0.8,
            activity: 2.5,
            months: &[3, 6, 9, 12],
            ahead: 9,
            slope: -0.0012,
            season: flat,
            multiplier: 1_000,
            scan: (0.025, 0.03, 40.0),
            tick: Price::from_raw(Price::SCALE / 64),
            style: PriceStyle::SixtyFourths,
            ends: last_friday,
            steps: &[(0.05, 25), (0.12, 50)],
        },
    ]
}

fn plus_months(day: Date, count: i32) -> Date {
    day.checked_add(count.months()).unwrap_or(day)
}

fn months_between(from: Date, to: Date) -> i32 {
    12 * i32::from(to.year() - from.year()) + i32::from(to.month() - from.month())
}

/// Every product's months with their distance in log price from its nearest at the demo moment.
pub(crate) fn futures() -> impl Iterator<Item = Vec<(Spec, f64)>> {
    products().into_iter().map(|p| months(&p))
}

fn months(p: &Product) -> Vec<(Spec, f64)> {
    let first = date(FIRST.year(), FIRST.month(), 1);
    let deliveries: Vec<Date> = (0..=months_between(FIRST, LAST) + p.ahead)
        .map(|n| plus_months(first, n))
        .filter(|month| p.months.contains(&month.month()))
        .collect();
    let level = |month: Date| {
        p.slope * f64::from(months_between(DEMO_DAY, month)) + p.season[month.month() as usize - 1]
    };
    let near = deliveries
        .iter()
        .find(|month| last_session(**month) >= DEMO_DAY)
        .copied()
        .unwrap_or(first);
    let mut before = plus_months(first, -1);
    deliveries
        .iter()
        .map(|month| {
            // Options named for the months after the delivery before this one, up to its own.
            let own_dates = (1..=months_between(before, *month))
                .map(|n| (p.ends)(plus_months(before, n - 1)))
                .collect();
            before = *month;
            (spec(p, *month, own_dates), level(*month) - level(near))
        })
        .collect()
}

/// A future trades until the session before its month begins.
fn last_session(month: Date) -> Date {
    previous_session(month)
}

/// Extreme moves of three price scans, of which a third counts; nothing for exposure.
fn scan_rates((price_scan, vol_scan, short_option_minimum): (f64, f64, f64)) -> ScanRates {
    ScanRates {
        price_scan,
        vol_scan,
        extreme_multiple: 3.0,
        extreme_cover: 0.33,
        exposure_rate: 0.0,
        short_option_minimum,
    }
}

fn spec(p: &Product, month: Date, own_dates: Vec<Date>) -> Spec {
    let index = month.month() as usize - 1;
    let underlying = Underlying {
        symbol: format!("{}{}{}", p.code, LETTERS[index], month.year() % 10),
        name: format!("{} {} {}", p.name, MONTHS[index], month.year()),
        kind: UnderlyingKind::Future,
        style: Style::American,
        settlement: Settlement::Delivery,
        multiplier: p.multiplier,
        ticks: TickTable::single(p.tick),
        package_tick: p.tick,
        own_tick: p.tick,
        style_of_price: p.style,
        margin_class: MarginClass::Scan(scan_rates(p.scan)),
        listing: ListingRule::default(),
        own_dates,
        last_session: Some(last_session(month)),
        session: None,
        weekly_root: None,
        opening_root: None,
        beta: p.beta,
    };
    let (rho, eta, premium) = p.smile;
    Spec {
        underlying,
        key: p.code,
        anchor: p.anchor,
        own_vol: p.vol,
        rho,
        eta,
        premium,
        width: p.width,
        activity: p.activity,
        basket: false,
        sector: None,
        event: None,
        dividend: None,
        index_yield: 0.0,
        listed: Some(plus_months(month, -p.ahead)),
        steps: p.steps,
    }
}
