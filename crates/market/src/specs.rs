//! The instruments of the world: all invented, all data.

use desk::{ListingRule, MarginClass, Price, Settlement, TickTable, Underlying};
use jiff::civil::{Date, Weekday, date};
use quant::Style;

/// How an underlying behaves; everything the trader cannot read off its contract.
#[derive(Debug, Clone)]
pub(crate) struct Spec {
    pub underlying: Underlying,
    /// Price at the opening of the demo day.
    pub anchor: f64,
    /// Own volatility (beyond beta times the market's) at the demo moment, per year.
    pub own_vol: f64,
    /// Smile: correlation and strength of the SSVI surface.
    pub rho: f64,
    pub eta: f64,
    /// How much dearer volatility is priced than it is, as a factor on variance.
    pub premium: f64,
    /// Width of markets relative to the tightest.
    pub width: f64,
    /// Contracts traded and open, relative scale.
    pub activity: f64,
    /// Scheduled results.
    pub results: Option<Results>,
    /// Strike steps from the centre outward: (up to this distance as a fraction, step).
    pub steps: &'static [(f64, i64)],
}

/// Quarterly results after the close.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Results {
    /// One of the dates; the others follow every 13 weeks.
    pub on: Date,
    /// Standard deviation of the jump at the next opening.
    pub jump: f64,
    /// Factor on its variance as priced: above one is rich.
    pub priced: f64,
}

const FRIDAYS: &[Weekday] = &[Weekday::Friday];
const MON_WED_FRI: &[Weekday] = &[Weekday::Monday, Weekday::Wednesday, Weekday::Friday];

/// The day the demo opens on, and on which every path passes through its anchor.
pub const DEMO_DAY: Date = date(2031, 3, 11);

fn penny_programme() -> TickTable {
    TickTable::split(Price::cents(1), Price::cents(300), Price::cents(5))
}

pub(crate) fn specs() -> Vec<Spec> {
    let stock = |symbol: &str, name: &str, beta, dividend_yield| Underlying {
        symbol: symbol.into(),
        name: name.into(),
        style: Style::American,
        settlement: Settlement::Delivery,
        multiplier: 100,
        ticks: penny_programme(),
        package_tick: Price::cents(1),
        margin_class: MarginClass::Equity,
        listing: ListingRule {
            weekly_on: FRIDAYS,
            weeklies: 6,
            monthlies: 3,
            quarter_months: 2,
            januaries: 2,
            quarter_ends: false,
            am_monthlies: false,
        },
        weekly_root: None,
        beta,
        dividend_yield,
    };
    let index = Underlying {
        style: Style::European,
        settlement: Settlement::Cash,
        ticks: TickTable::split(Price::cents(5), Price::cents(300), Price::cents(10)),
        package_tick: Price::cents(5),
        margin_class: MarginClass::BroadIndex,
        listing: ListingRule {
            weekly_on: MON_WED_FRI,
            weeklies: 8,
            monthlies: 4,
            quarter_months: 3,
            januaries: 2,
            quarter_ends: true,
            am_monthlies: true,
        },
        weekly_root: Some("WXMRW".into()),
        ..stock("WXMR", "Wexmoor 300 Index", 1.0, 0.014)
    };
    let trust = Underlying {
        ticks: TickTable::single(Price::cents(1)),
        margin_class: MarginClass::BroadIndex,
        listing: ListingRule { weekly_on: MON_WED_FRI, weeklies: 7, ..stock("", "", 1.0, 0.0).listing },
        ..stock("WXMT", "Wexmoor 300 Trust", 1.0, 0.014)
    };
    vec![
        Spec {
            underlying: index,
            anchor: 2_940.0,
            own_vol: 0.0,
            rho: -0.7,
            eta: 1.15,
            premium: 1.22,
            width: 1.0,
            activity: 3.0,
            results: None,
            steps: &[(0.03, 500), (0.08, 1000), (0.30, 2500)],
        },
        Spec {
            underlying: trust,
            anchor: 294.0,
            own_vol: 0.0,
            rho: -0.7,
            eta: 1.15,
            premium: 1.20,
            width: 0.5,
            activity: 5.0,
            results: None,
            steps: &[(0.06, 100), (0.12, 200), (0.30, 500)],
        },
        Spec {
            underlying: stock("NMOU", "Nimoura Systems", 1.25, 0.0),
            anchor: 187.0,
            own_vol: 0.31,
            rho: -0.35,
            eta: 0.8,
            premium: 1.15,
            width: 1.0,
            activity: 1.0,
            results: Some(Results { on: date(2031, 3, 20), jump: 0.045, priced: 1.5 }),
            steps: &[(0.20, 250), (0.55, 500)],
        },
        Spec {
            underlying: stock("TLVN", "Tolvane Bank", 1.1, 0.038),
            anchor: 92.0,
            own_vol: 0.17,
            rho: -0.4,
            eta: 0.8,
            premium: 1.12,
            width: 1.6,
            activity: 0.5,
            results: Some(Results { on: date(2031, 4, 15), jump: 0.03, priced: 1.0 }),
            steps: &[(0.18, 100), (0.40, 250)],
        },
    ]
}
