//! The instruments of the world: all invented, all data.

use desk::{
    Fees, ListingRule, MarginClass, Money, Price, PriceStyle, ScanRates, Settlement, TickTable,
    Underlying, UnderlyingKind,
};
use jiff::civil::{Date, Weekday, date};
use quant::Style;

/// How an underlying behaves; everything the trader cannot read off its contract.
#[derive(Debug, Clone)]
pub(crate) struct Spec {
    pub underlying: Underlying,
    /// What its randomness hangs on: the same for all months of a future.
    pub key: &'static str,
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
    /// It stands for many names: an index, or a fund on many.
    pub basket: bool,
    /// The sector whose moves it shares, and the share of its own variance that they are.
    pub sector: Option<(&'static str, f64)>,
    /// What is scheduled.
    pub event: Option<Scheduled>,
    /// Cash dividends, every quarter.
    pub dividend: Option<Payout>,
    /// Of an index: the yield it loses continuously, per year.
    pub index_yield: f64,
    /// First day of a future's month.
    pub listed: Option<Date>,
    /// Strike steps from the centre outward: (up to this distance as a fraction, step).
    pub steps: &'static [(f64, i64)],
}

/// A quarterly cash dividend.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Payout {
    /// One of the ex-dates.
    pub on: Date,
    /// A year's dividends, as a share of the price that the name began with.
    pub yearly: f64,
}

/// An event after the close of a known day, told by a jump at the next opening.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Scheduled {
    /// One of the dates.
    pub on: Date,
    /// Weeks between one and the next; none: it happens once.
    pub every: Option<i64>,
    /// Standard deviation of the jump.
    pub jump: f64,
    /// Factor on its variance as priced: above one is rich.
    pub priced: f64,
    /// It goes one way or the other, and hardly ends in between.
    pub two_sided: bool,
    /// In plain words.
    pub what: &'static str,
}

impl Scheduled {
    /// An authority decides, in place of a company that tells its earnings.
    pub fn is_decision(&self) -> bool {
        self.what.contains("decision")
    }
}

fn results(on: Date, jump: f64, priced: f64) -> Option<Scheduled> {
    Some(Scheduled {
        on,
        every: Some(13),
        jump,
        priced,
        two_sided: false,
        what: "earnings after the close",
    })
}

const FRIDAYS: &[Weekday] = &[Weekday::Friday];
const MON_WED_FRI: &[Weekday] = &[Weekday::Monday, Weekday::Wednesday, Weekday::Friday];

/// First session of the history.
pub const FIRST: Date = date(2028, 6, 1);
/// Last session that can be traded; the clock stops there.
pub const LAST: Date = date(2033, 12, 30);

/// What exchange and broker charge where nothing else is set.
pub const FEES: Fees = Fees {
    option: Money::from_raw(6_500),
    future: Money::from_raw(12_000),
};

/// The day the demo opens on, and on which every path passes through its anchor.
pub const DEMO_DAY: Date = date(2031, 3, 11);

fn penny_programme() -> TickTable {
    TickTable::split(Price::cents(1), Price::cents(300), Price::cents(5))
}

/// The instruments of the stand-in. It is long because it is their table: a row for each, told in full.
pub(crate) fn specs() -> Vec<Spec> {
    let stock = |symbol: &str, name: &str, beta| Underlying {
        symbol: symbol.into(),
        name: name.into(),
        kind: UnderlyingKind::Shares,
        style: Style::American,
        settlement: Settlement::Delivery,
        multiplier: 100,
        ticks: penny_programme(),
        package_tick: Price::cents(1),
        own_tick: Price::cents(1),
        style_of_price: PriceStyle::Decimal,
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
        own_dates: Vec::new(),
        last_session: None,
        session: None,
        weekly_root: None,
        opening_root: None,
        beta,
    };
    let index = Underlying {
        kind: UnderlyingKind::Index,
        style: Style::European,
        settlement: Settlement::Cash,
        ticks: TickTable::split(Price::cents(5), Price::cents(300), Price::cents(10)),
        package_tick: Price::cents(5),
        margin_class: MarginClass::LargeIndex,
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
        opening_root: Some("WXMR".into()),
        ..stock("WXMR", "Wexmoor 300 Index", 1.0)
    };
    let trust = Underlying {
        ticks: TickTable::single(Price::cents(1)),
        margin_class: MarginClass::LargeIndex,
        listing: ListingRule {
            weekly_on: MON_WED_FRI,
            weeklies: 7,
            ..stock("", "", 1.0).listing
        },
        ..stock("WXMT", "Wexmoor 300 Trust", 1.0)
    };
    let small = Underlying {
        listing: ListingRule {
            weeklies: 5,
            ..stock("", "", 1.0).listing
        },
        ..stock("SMLX", "Small Company Trust", 1.2)
    };
    let quiet = |u: Underlying| Underlying {
        listing: ListingRule {
            weeklies: 0,
            ..u.listing
        },
        ticks: TickTable::split(Price::cents(5), Price::cents(300), Price::cents(10)),
        package_tick: Price::cents(5),
        ..u
    };
    let lots_of_forty = Underlying {
        multiplier: 40,
        margin_class: MarginClass::Scan(ScanRates {
            price_scan: 0.07,
            vol_scan: 0.04,
            extreme_multiple: 3.0,
            extreme_cover: 0.33,
            exposure_rate: 0.02,
            short_option_minimum: 500.0,
        }),
        listing: ListingRule {
            weekly_on: &[Weekday::Thursday],
            weeklies: 4,
            monthlies: 3,
            quarter_months: 2,
            januaries: 0,
            quarter_ends: false,
            am_monthlies: false,
        },
        weekly_root: None,
        opening_root: None,
        ..index.clone()
    };
    // What hangs on it; anchor, own volatility; smile: correlation, strength, premium; width,
    // activity; strike steps.
    let spec = |key,
                underlying: Underlying,
                anchor,
                own_vol,
                (rho, eta, premium),
                (width, activity),
                steps| Spec {
        underlying: Underlying {
            symbol: String::from(key),
            ..underlying
        },
        key,
        anchor,
        own_vol,
        rho,
        eta,
        premium,
        width,
        activity,
        basket: false,
        sector: None,
        event: None,
        dividend: None,
        index_yield: 0.0,
        listed: None,
        steps,
    };
    let pays = |on: Date, yearly: f64| Some(Payout { on, yearly });
    const INDEX: (f64, f64, f64) = (-0.7, 1.15, 1.22);
    const FUND: (f64, f64, f64) = (-0.65, 1.05, 1.20);
    const SHARE: (f64, f64, f64) = (-0.35, 0.8, 1.15);
    let skerry = Underlying {
        symbol: "SKRY".into(),
        name: "Skerry 64 Index".into(),
        beta: 0.7,
        ..lots_of_forty
    };
    let (tech, shops, fields) = (
        Some(("technology", 0.35)),
        Some(("consumers", 0.25)),
        Some(("staples", 0.2)),
    );
    let decision = Scheduled {
        on: date(2031, 5, 14),
        every: None,
        jump: 0.26,
        priced: 1.05,
        two_sided: true,
        what: "trial decision after the close",
    };
    vec![
        Spec {
            index_yield: 0.014,
            basket: true,
            ..spec(
                "WXMR",
                index,
                2_940.0,
                0.0,
                INDEX,
                (1.0, 3.0),
                &[(0.03, 500), (0.08, 1000), (0.30, 2500)],
            )
        },
        Spec {
            dividend: pays(date(2031, 3, 21), 0.014),
            basket: true,
            ..spec(
                "WXMT",
                trust,
                294.0,
                0.0,
                (-0.7, 1.15, 1.20),
                (0.5, 5.0),
                &[(0.06, 100), (0.12, 200), (0.30, 500)],
            )
        },
        Spec {
            dividend: pays(date(2031, 3, 21), 0.011),
            basket: true,
            ..spec(
                "SMLX",
                small,
                118.0,
                0.09,
                FUND,
                (0.7, 2.5),
                &[(0.12, 100), (0.32, 200)],
            )
        },
        Spec {
            dividend: pays(date(2031, 3, 21), 0.006),
            sector: Some(("technology", 0.9)),
            basket: true,
            ..spec(
                "TKZR",
                stock("TKZR", "Technology Trust", 1.3),
                212.0,
                0.09,
                FUND,
                (0.6, 3.0),
                &[(0.08, 100), (0.16, 250), (0.34, 500)],
            )
        },
        Spec {
            sector: tech,
            event: results(date(2031, 3, 20), 0.045, 1.5),
            ..spec(
                "NMOU",
                stock("NMOU", "Nimoura Systems", 1.25),
                187.0,
                0.31,
                SHARE,
                (1.0, 1.0),
                &[(0.20, 250), (0.55, 500)],
            )
        },
        Spec {
            sector: tech,
            event: results(date(2031, 4, 24), 0.06, 1.2),
            ..spec(
                "VXLO",
                stock("VXLO", "Vexlo Devices", 1.6),
                862.0,
                0.48,
                (-0.3, 0.75, 1.12),
                (1.1, 1.6),
                &[(0.25, 1000), (0.60, 2000)],
            )
        },
        Spec {
            event: results(date(2031, 4, 29), 0.07, 1.15),
            ..spec(
                "ZORV",
                stock("ZORV", "Zorvane Motors", 1.7),
                421.0,
                0.52,
                (-0.2, 0.7, 1.12),
                (0.6, 4.5),
                &[(0.15, 500), (0.50, 1000)],
            )
        },
        Spec {
            sector: shops,
            event: results(date(2031, 4, 22), 0.06, 1.0),
            ..spec(
                "MYRR",
                stock("MYRR", "Myrr Cruises", 1.4),
                17.3,
                0.42,
                SHARE,
                (1.3, 0.9),
                &[(0.55, 50)],
            )
        },
        Spec {
            event: results(date(2031, 4, 15), 0.03, 1.0),
            dividend: pays(date(2031, 3, 19), 0.038),
            ..spec(
                "TLVN",
                stock("TLVN", "Tolvane Bank", 1.1),
                92.0,
                0.17,
                (-0.4, 0.8, 1.12),
                (1.6, 0.5),
                &[(0.18, 100), (0.40, 250)],
            )
        },
        Spec {
            sector: fields,
            event: results(date(2031, 4, 30), 0.025, 1.1),
            dividend: pays(date(2031, 4, 9), 0.027),
            ..spec(
                "KVLN",
                quiet(stock("KVLN", "Kavlin Foods", 0.5)),
                54.0,
                0.14,
                (-0.4, 0.8, 1.12),
                (2.6, 0.12),
                &[(0.14, 100), (0.40, 250)],
            )
        },
        Spec {
            sector: shops,
            event: results(date(2031, 3, 12), 0.055, 0.7),
            dividend: pays(date(2031, 4, 2), 0.008),
            ..spec(
                "BRLW",
                stock("BRLW", "Brellow Homes", 1.3),
                38.0,
                0.28,
                SHARE,
                (1.5, 0.6),
                &[(0.45, 100)],
            )
        },
        Spec {
            sector: shops,
            event: results(date(2031, 3, 5), 0.06, 1.15),
            dividend: pays(date(2031, 3, 28), 0.012),
            ..spec(
                "OSKV",
                stock("OSKV", "Oskava Retail", 1.0),
                128.0,
                0.25,
                SHARE,
                (1.2, 0.8),
                &[(0.15, 250), (0.50, 500)],
            )
        },
        Spec {
            event: Some(decision),
            ..spec(
                "PHYA",
                stock("PHYA", "Physara Pharma", 0.8),
                63.0,
                0.36,
                (-0.1, 0.7, 1.15),
                (1.8, 0.5),
                &[(0.20, 100), (0.65, 250)],
            )
        },
        Spec {
            sector: fields,
            dividend: pays(date(2031, 5, 8), 0.034),
            ..spec(
                "ARDN",
                quiet(stock("ARDN", "Ardenne Power", 0.4)),
                71.0,
                0.13,
                (-0.45, 0.85, 1.14),
                (2.0, 0.25),
                &[(0.12, 100), (0.32, 250)],
            )
        },
        Spec {
            basket: true,
            index_yield: 0.018,
            ..spec(
                "SKRY",
                skerry,
                6_320.0,
                0.08,
                (-0.6, 1.05, 1.20),
                (1.2, 1.2),
                &[(0.06, 5_000), (0.26, 10_000)],
            )
        },
    ]
}
